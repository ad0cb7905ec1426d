import { validate } from '@readme/openapi-parser';
import type { Route } from '../src';
import { addressOf, openApi, paramsSchema, ROUTES } from '../src';

const routes = Object.entries(ROUTES) as [keyof typeof ROUTES, Route][];

describe('routes', () => {
  it('have addresses of their own', () => {
    const all = routes.map(([, { method, path }]) => `${method} ${path.replace(/:\w+/g, ':')}`);
    expect(new Set(all).size).toBe(all.length);
  });

  it('fill their addresses, with what could break out of them made harmless', () => {
    expect(addressOf(ROUTES.asset, { id: 'a/b?c' }, { part: null })).toBe('/api/assets/a%2Fb%3Fc');
    expect(addressOf(ROUTES.asset, { id: '1' }, { part: '2 3' })).toBe('/api/assets/1?part=2%203');
    expect(addressOf(ROUTES.upload, {}, { name: 'ä&b.obj' })).toBe('/api/uploads?name=%C3%A4%26b.obj');
  });

  it('know what their variable parts may be', () => {
    const id = '00000000-0000-4000-8000-000000000001';
    expect(paramsSchema(ROUTES.asset).safeParse({ id }).success).toBe(true);
    expect(paramsSchema(ROUTES.asset).safeParse({ id: 'x' }).success).toBe(false);
    expect(paramsSchema(ROUTES.blob).safeParse({ hash: 'f'.repeat(64) }).success).toBe(true);
    expect(paramsSchema(ROUTES.blob).safeParse({ hash: id }).success).toBe(false);
  });
});

describe('the OpenAPI description', () => {
  const described = openApi() as { paths: Record<string, Record<string, { operationId: string; requestBody?: object }>> };

  it('is valid by an independent reader', async () => {
    const found = await validate(openApi() as Parameters<typeof validate>[0]);
    expect(found).toMatchObject({ valid: true });
  });

  it('names every route once, with a body where it takes one', () => {
    const operations = Object.values(described.paths).flatMap((path) => Object.values(path));
    expect(operations.map((o) => o.operationId).sort()).toEqual(routes.map(([name]) => name).sort());
    const taking = operations.filter((o) => o.requestBody).map((o) => o.operationId);
    expect(taking.sort()).toEqual(routes.filter(([, r]) => r.body ?? r.takes).map(([name]) => name).sort()); // prettier-ignore
  });
});
