import { existsSync } from 'node:fs';
import { join } from 'node:path';
import type { Express } from 'express';
import express from 'express';
import helmet from 'helmet';
import type { Logger } from 'pino';
import { errorHandler } from './http/error-handler';
import { sameOriginOnly, tokenOnly } from './http/who-may-ask';
import type { ApiPorts } from './routes/api';
import { apiRoutes } from './routes/api';

export interface Door {
  /** Folder of the built web application. */
  readonly webDir: string | undefined;
  /** Names under which the server may be asked for. */
  readonly names: ReadonlySet<string>;
  /** What everybody must know, where one is set. */
  readonly token: string | undefined;
}

/** The HTTP side: headers, the API, and the built web application. */
export function createApp(ports: ApiPorts, log: Logger, { webDir, names, token }: Door): Express {
  const app = express();
  app.disable('x-powered-by');
  app.use(
    helmet({
      crossOriginEmbedderPolicy: true,
      strictTransportSecurity: false,
      contentSecurityPolicy: {
        directives: {
          'default-src': ["'self'"],
          'script-src': ["'self'", "'wasm-unsafe-eval'"],
          'style-src': ["'self'", "'unsafe-inline'"],
          'img-src': ["'self'", 'data:', 'blob:'],
          'worker-src': ["'self'", 'blob:'],
          'connect-src': ["'self'"],
          'upgrade-insecure-requests': null,
        },
      },
    }),
  );
  app.use(sameOriginOnly(names));
  if (token !== undefined) app.use(tokenOnly(token));
  app.use('/api', apiRoutes(ports));
  if (webDir !== undefined && existsSync(webDir)) {
    app.use(express.static(webDir, { index: false, maxAge: '1h' }));
    app.get('/{*path}', (_request, response) =>
      response.sendFile(join(webDir, 'index.html'), { headers: { 'Cache-Control': 'no-cache' } }),
    );
  }
  app.use(errorHandler(log));
  return app;
}
