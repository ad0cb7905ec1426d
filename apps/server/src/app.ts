import { existsSync } from 'node:fs';
import { join } from 'node:path';
import type { Express } from 'express';
import express from 'express';
import helmet from 'helmet';
import type { Logger } from 'pino';
import { errorHandler, sameOriginOnly } from './http/error-handler';
import type { ApiPorts } from './routes/api';
import { apiRoutes } from './routes/api';

/** The HTTP side: headers, the API, and the built web application. */
export function createApp(ports: ApiPorts, log: Logger, webDir: string | undefined): Express {
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
  app.use(sameOriginOnly);
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
