import { createHmac, timingSafeEqual } from 'node:crypto';
import { hostname, networkInterfaces } from 'node:os';
import { parseCookie } from 'cookie';
import type { Request, RequestHandler } from 'express';
import { rateLimit } from 'express-rate-limit';
import { AppError } from './app-error';

const LOOPBACK = ['127.0.0.1', 'localhost', '[::1]'];
const EVERYWHERE = ['0.0.0.0', '::', '[::]', ''];
export const isLoopback = (host: string): boolean => /^(127(\.\d{1,3}){3}|localhost|\[?::1\]?)$/.test(host);

/** Names under which this server may be asked for: a page that has bent another name to this address is refused (DNS rebinding).
 *  @param host that it listens on @param more names that somebody has given it */
export function namesOf(host: string, more: readonly string[]): ReadonlySet<string> {
  if (isLoopback(host)) return new Set([...LOOPBACK, host, ...more].map((name) => name.toLowerCase()));
  const own = EVERYWHERE.includes(host)
    ? Object.values(networkInterfaces()).flatMap((all) =>
        (all ?? []).map(({ address, family }) => (family === 'IPv6' ? `[${address}]` : address)),
      )
    : [host];
  return new Set([...LOOPBACK, hostname(), ...own, ...more].map((name) => name.toLowerCase()));
}

/** Refuses requests for names that are not this server's, and those that another site's page sends. */
export function sameOriginOnly(names: ReadonlySet<string>): RequestHandler {
  return (request, _response, next) => {
    const host = (request.headers.host ?? '').toLowerCase();
    const { origin } = request.headers;
    const known = names.has(host.replace(/:\d{1,5}$/, ''));
    if (!known || (origin !== undefined && origin !== `http://${host}` && origin !== `https://${host}`))
      next(new AppError('BAD_OPTION', 'Requests from other sites are refused; open Estampe by its own address.'));
    else next();
  };
}

const COOKIE = 'estampe';
const COOKIE_MS = 30 * 24 * 3600 * 1000;
/** Requests without the right token that one address may send in a minute. */
const MOST_ATTEMPTS = 120;

/** Lets in only who knows the token: a page by a link that carries it, which leaves a cookie; a program by `Authorization: Bearer`. */
export function tokenOnly(token: string): RequestHandler[] {
  // the cookie is made from the token and does not hold it
  const pass = createHmac('sha256', token).update('estampe cookie').digest('hex');
  const equal = (a: string, b: string): boolean => timingSafeEqual(digest(a), digest(b));
  const digest = (text: string): Buffer => createHmac('sha256', token).update(text).digest();
  const limit = rateLimit({
    windowMs: 60_000,
    limit: MOST_ATTEMPTS,
    standardHeaders: true,
    legacyHeaders: false,
    skipSuccessfulRequests: true,
    requestWasSuccessful: (_request, response) => response.locals['known'] === true,
    handler: (_request, _response, next) =>
      next(new AppError('FORBIDDEN', 'Too many attempts from this address; wait a minute, then open the link with the token.')),
  });
  const ask: RequestHandler = (request, response, next) => {
    const known = (): void => {
      response.locals['known'] = true;
    };
    const given = tokenOfLink(request);
    if (given !== null && equal(given, token)) {
      known();
      // lax, not strict: the link may be opened from a message
      response.cookie(COOKIE, pass, { httpOnly: true, sameSite: 'lax', path: '/', maxAge: COOKIE_MS });
      response.setHeader('Cache-Control', 'no-store');
      response.redirect(303, `/${request.path.replace(/^\/+/, '')}`);
      return;
    }
    const header = /^Bearer (.+)$/.exec(request.headers.authorization ?? '')?.[1];
    const cookie = parseCookie(request.headers.cookie ?? '')[COOKIE];
    if ((header !== undefined && equal(header, token)) || (cookie !== undefined && equal(cookie, pass))) {
      known();
      next();
    } else
      next(
        new AppError('FORBIDDEN', 'This server wants its token: open its link with ?token=… once, or send it as Authorization: Bearer.'),
      );
  };
  return [limit, ask];
}

function tokenOfLink({ method, query }: Request): string | null {
  const { token } = query;
  return method === 'GET' && typeof token === 'string' ? token : null;
}
