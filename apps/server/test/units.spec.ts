import { createServer, request as httpRequest } from 'node:http';
import type { AddressInfo } from 'node:net';
import type { ServerEvent } from '@estampe/contracts';
import { eventSchema } from '@estampe/contracts';
import type { SpanSurfaces } from '@estampe/core';
import { InvalidInputError } from '@estampe/core';
import { pino } from 'pino';
import type { Request, Response } from 'express';
import { ConnectionRefusedError } from 'sequelize';
import * as z from 'zod';
import { LaneFeed, LaneSource } from '../src/jobs/file-lane';
import { readConfig, readWorkerConfig } from '../src/config';
import { shortly } from '../src/log';
import { AppError } from '../src/http/app-error';
import { errorHandler } from '../src/http/error-handler';
import { namesOf, sameOriginOnly } from '../src/http/who-may-ask';
import { readRequest } from '../src/http/read-request';
import { uploadOf } from '../src/http/upload-of';
import type { PieceOfTile } from '../src/jobs/job-messages';
import { PieceMaker } from '../src/jobs/piece-maker';
import { pieceEvent } from '../src/services/piece-event';
import { Wire } from '../src/services/wire';
import { freshDatabase } from './harness';

/** As much of a prepared span as pieces look at. */
const spanOf = (side: number): SpanSurfaces => ({ options: { width: side, height: side, maps: ['scalar'] }, measures: [{ kind: 'scalar' }], reach: 2 }) as unknown as SpanSurfaces; // prettier-ignore
const request = (of: object): Request => of as unknown as Request;
const silent = pino({ level: 'silent' });

describe('the log', () => {
  it('tells of a refused value its place and why, not the schema', () => {
    const refused = z.object({ maps: z.array(z.object({ reach: z.number() })) }).safeParse({ maps: [{ reach: 1 }, { reach: 'far' }] });
    expect(shortly(refused.error)).toMatchObject({ message: expect.stringMatching(/^maps\.1\.reach: .*expected number/) as string });
    expect(JSON.stringify(shortly(refused.error)).length).toBeLessThan(300);
    expect(shortly(new Error('plain'))).toMatchObject({ type: 'Error', message: 'plain', stack: expect.any(String) as string });
  });
});

describe('what the environment says', () => {
  const DATABASE_URL = 'postgres://localhost/estampe';
  it('has defaults that listen on this machine alone, and names the variable that is wrong', () => {
    expect(readConfig({ DATABASE_URL })).toMatchObject({ HOST: '127.0.0.1', PORT: 4310, EMBEDDED_WORKER: 'yes', DEMO_TOP_LEVEL: 4 });
    expect(readConfig({ DATABASE_URL, PORT: '0', THREADS: '2' })).toMatchObject({ PORT: 0, THREADS: 2 });
    expect(() => readConfig({})).toThrow('environment variable DATABASE_URL: is not set; give the address of the database, postgres://…');
    expect(() => readConfig({ DATABASE_URL: 'mysql://x' })).toThrow(/DATABASE_URL: a postgres/);
    expect(() => readConfig({ DATABASE_URL, PORT: '70000' })).toThrow(/^environment variable PORT/);
    expect(() => readWorkerConfig({ DATABASE_URL, THREADS: '0' })).toThrow(/^environment variable THREADS/);
    expect(readWorkerConfig({ DATABASE_URL })).not.toHaveProperty('PORT');
  });

  it('lets other machines in only with a token that cannot be guessed', () => {
    const ESTAMPE_TOKEN = '0123456789abcdef0123456789abcdef';
    expect(() => readConfig({ DATABASE_URL, HOST: '0.0.0.0' })).toThrow(
      /^environment variable HOST: it lets other machines in; set ESTAMPE_TOKEN/,
    );
    expect(() => readConfig({ DATABASE_URL, HOST: '0.0.0.0', ESTAMPE_TOKEN: 'letmein' })).toThrow(/ESTAMPE_TOKEN: at least 32/);
    expect(() => readConfig({ DATABASE_URL, ESTAMPE_TOKEN: 'a'.repeat(40) })).toThrow(/ESTAMPE_TOKEN: at least 32/);
    expect(readConfig({ DATABASE_URL, HOST: '0.0.0.0', ESTAMPE_TOKEN, ESTAMPE_HOSTS: 'a.b, c' })).toMatchObject({
      ESTAMPE_HOSTS: ['a.b', 'c'],
    });
    for (const HOST of ['127.0.0.1', '127.1.2.3', 'localhost', '::1']) expect(readConfig({ DATABASE_URL, HOST }).HOST).toBe(HOST);
  });
});

describe('an error on its way out', () => {
  const answerTo = (error: unknown): { status: number; body: { code: string; message: string } } => {
    const answer = { status: 200, body: { code: '', message: '' } };
    const response = {
      headersSent: false,
      status: (status: number) => Object.assign(response, { sent: (answer.status = status) }),
      json: (body: { code: string; message: string }) => (answer.body = body),
    };
    errorHandler(silent)(error, request({}), response as unknown as Response, () => undefined);
    return answer;
  };

  it('says what people can do about it, and nothing of the inside', () => {
    expect(answerTo(new AppError('CONFLICT', 'Choose which one to keep.'))).toEqual({ status: 409, body: { code: 'CONFLICT', message: 'Choose which one to keep.' } }); // prettier-ignore
    expect(answerTo(new AppError('NOT_FOUND', 'gone')).status).toBe(404);
    expect(answerTo(new AppError('TOO_LARGE', 'large')).status).toBe(413);
    expect(answerTo(new InvalidInputError('NO_UVS', 'unwrap it.'))).toEqual({
      status: 400,
      body: { code: 'NO_UVS', message: 'unwrap it.' },
    });
    expect(answerTo(new ConnectionRefusedError(new Error('127.0.0.1:5432')))).toMatchObject({ status: 503, body: { code: 'UNAVAILABLE', message: expect.stringMatching(/^The database does not answer/) as string } }); // prettier-ignore
    expect(answerTo(Object.assign(new Error('entity too large'), { status: 413 })).status).toBe(413);
    const inside = answerTo(new TypeError('cannot read secret of undefined'));
    expect(inside.status).toBe(500);
    expect(JSON.stringify(inside.body)).not.toContain('secret');
  });

  it('is not one when a client has left', () => {
    let destroyed = 0;
    const loud = { ...silent, error: () => { throw new Error('logged as unexpected'); }, debug: () => undefined } as unknown as typeof silent; // prettier-ignore
    const response = { headersSent: false, destroy: () => destroyed++ } as unknown as Response;
    for (const code of ['ECONNRESET', 'ERR_STREAM_PREMATURE_CLOSE'])
      errorHandler(loud)(Object.assign(new Error('aborted'), { code }), request({}), response, () => undefined);
    expect(destroyed).toBe(2);
  });

  it('of a request names the first thing that is wrong', () => {
    const schema = z.strictObject({ size: z.number().int().max(16384), deep: z.array(z.object({ name: z.string() })) });
    const wrong = (value: unknown) => () => readRequest(schema, value);
    expect(wrong({ size: 99999, deep: [] })).toThrow(/^size: /);
    expect(wrong({ size: 5, deep: [{ name: 3 }] })).toThrow(/^deep\.0\.name: /);
    expect(wrong(null)).toThrow(/^The request: /);
    expect(wrong({ size: 5, deep: [], more: 1 })).toThrow(AppError);
    expect(readRequest(schema, { size: 5, deep: [] })).toEqual({ size: 5, deep: [] });
  });
});

describe('who may ask', () => {
  const passes = (headers: Record<string, string>): boolean => {
    let refused: unknown = 'not called';
    sameOriginOnly(namesOf('127.0.0.1', ['sculpt.local']))(
      request({ headers }),
      request({}) as never,
      (error?: unknown) => (refused = error),
    );
    return refused === undefined;
  };
  it.each<[string, Record<string, string>, boolean]>([
    ['the page itself', { host: '127.0.0.1:4310', origin: 'http://127.0.0.1:4310' }, true],
    ['a program on this machine', { host: 'localhost:4310' }, true],
    ['the same by its other address', { host: '[::1]:4310', origin: 'http://[::1]:4310' }, true],
    ["another site's page", { host: '127.0.0.1:4310', origin: 'https://elsewhere.example' }, false],
    ['another port of this machine', { host: '127.0.0.1:4310', origin: 'http://127.0.0.1:9999' }, false],
    ['the page by a name that it was given', { host: 'Sculpt.local', origin: 'http://sculpt.local' }, true],
    ['a name that was bent to this machine', { host: 'elsewhere.example:4310' }, false],
    ['a name that begins like ours', { host: '127.0.0.1.elsewhere.example' }, false],
    ['a file on disk', { host: '127.0.0.1:4310', origin: 'null' }, false],
    ['nobody', {}, false],
  ])('%s', (_who, headers, allowed) => expect(passes(headers)).toBe(allowed));
});

describe('pieces of a tile that is measured', () => {
  const W = 1024;
  const piecesOf = (bands: readonly number[], rows: number): PieceOfTile[] => {
    const pieces: PieceOfTile[] = [];
    const maker = new PieceMaker(1002, spanOf(W), (piece) => pieces.push(piece));
    for (const y0 of bands) {
      const values = Float32Array.from({ length: W * rows }, (_, i) => ((y0 + Math.floor(i / W)) / W) * 4 - 2); // -2 to 2, reach 2
      const coverage = Uint8Array.from({ length: W * rows }, (_, i) => (i % W < W / 2 ? 1 : 0));
      maker.add({ y0, maps: [{ values, coverage }] });
    }
    return pieces;
  };

  it('come together to the whole small picture, whatever the order of the bands', () => {
    const picture = new Int16Array(256 * 256);
    const seen = new Uint8Array(256);
    const bands = Array.from({ length: W / 32 }, (_, i) => 32 * ((7 * i) % (W / 32)));
    for (const { y0, width, height, data, tile } of piecesOf(bands, 32)) {
      expect([tile, width, height]).toEqual([1002, 256, 256]);
      picture.set(data, y0 * width);
      for (let r = 0; r < data.length / width; r++) seen[y0 + r]++;
    }
    expect(seen.every((times) => times === 1)).toBe(true);
    for (const row of [0, 100, 255]) {
      expect(picture[row * 256]).toBeCloseTo(32767 * ((2 * 4 * row) / W - 1), -1);
      expect(picture[row * 256 + 200]).toBe(-32768); // not covered
    }
  });

  it('are small enough for the wire, and pass its check', () => {
    for (const piece of piecesOf([0, 32], 32)) {
      const event = pieceEvent({ id: '00000000-0000-4000-8000-000000000001', spanId: null } as never, piece);
      expect(JSON.stringify(event).length).toBeLessThan(7800);
      expect(eventSchema.parse(event)).toEqual(event);
    }
  });
});

describe('the wire between processes', () => {
  let database: Awaited<ReturnType<typeof freshDatabase>>;
  const open: Wire[] = [];
  beforeAll(async () => (database = await freshDatabase()));
  afterAll(async () => {
    for (const wire of open) await wire.stop();
    await database.drop();
  });
  const start = async (shows: boolean, heard: (event: ServerEvent) => void): Promise<Wire> => {
    const wire = new Wire(database.url, silent, shows);
    open.push(wire);
    await wire.start(heard);
    return wire;
  };
  const until = async (what: () => boolean): Promise<void> => {
    for (let k = 0; k < 100 && !what(); k++) await new Promise((resolve) => setTimeout(resolve, 50));
  };
  const asset = (k: number): ServerEvent => ({ type: 'asset', assetId: `00000000-0000-4000-8000-00000000000${k}` });

  it('carries events in order to the others, not back, and pieces only to who shows them', async () => {
    const heard: Record<string, ServerEvent[]> = { server: [], worker: [], sender: [] };
    const named = (name: string, shows: boolean): Promise<Wire> => start(shows, (event) => heard[name].push(event));
    const wires = [await named('server', true), await named('worker', false), await named('sender', true)];
    for (const k of [1, 2, 3]) wires[2].send(asset(k));
    const [piece] = piecesForWire();
    wires[2].send(piece);
    await until(() => heard['server'].length === 4 && heard['worker'].length === 3);
    expect(heard['server']).toEqual([asset(1), asset(2), asset(3), piece]);
    expect(heard['worker']).toEqual([asset(1), asset(2), asset(3)]);
    expect(heard['sender']).toEqual([]);
  });

  it('passes over what is not ours, and stops for good', async () => {
    const heard: ServerEvent[] = [];
    const a = await start(false, (event) => heard.push(event));
    const b = await start(false, () => undefined);
    b.send({ type: 'asset', assetId: 'no id' });
    b.send(asset(4));
    await until(() => heard.length > 0);
    expect(heard).toEqual([asset(4)]);
    await a.stop();
    b.send(asset(5));
    await new Promise((resolve) => setTimeout(resolve, 200));
    expect(heard).toHaveLength(1);
    await b.stop();
    expect(() => b.send(asset(6))).not.toThrow(); // nobody is there to be told
  });
});

function piecesForWire(): ServerEvent[] {
  const pieces: PieceOfTile[] = [];
  new PieceMaker(1001, spanOf(512), (piece) => pieces.push(piece)).add({
    y0: 0,
    maps: [{ values: new Float32Array(512 * 8), coverage: new Uint8Array(512 * 8).fill(1) }],
  });
  return pieces.map((piece) => pieceEvent({ id: '00000000-0000-4000-8000-000000000001', spanId: null } as never, piece));
}

describe('an upload', () => {
  it('may take its time as long as something comes, and is told when it stands still', async () => {
    const server = createServer((request, response) => {
      void (async () => {
        let bytes = 0;
        for await (const part of uploadOf(request, response, 1000) as AsyncIterable<Buffer>) bytes += part.length;
        response.end(String(bytes));
      })().catch((error: unknown) => response.writeHead(400).end(error instanceof AppError ? error.code : String(error)));
    });
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
    const { port } = server.address() as AddressInfo;
    /** Sends a byte every tenth of a second. */
    const send = (count: number, ends: boolean): Promise<string> =>
      new Promise((resolve, reject) => {
        const sent = httpRequest({ host: '127.0.0.1', port, method: 'PUT', agent: false }, (answer) => {
          answer.setEncoding('utf8').on('data', (text: string) => resolve(`${answer.statusCode ?? 0} ${text}`));
        });
        sent.on('error', reject);
        let left = count;
        const timer = setInterval(() => {
          if (left-- > 0) sent.write('x');
          else {
            clearInterval(timer);
            if (ends) sent.end();
          }
        }, 100);
      });
    expect(await Promise.all([send(16, true), send(2, false)])).toEqual(['200 16', '400 TRUNCATED']);
    server.closeAllConnections();
    await new Promise((resolve) => server.close(resolve));
  });
});

describe('a file on its way into a thread', () => {
  async function* pieces(count: number, over: () => void = () => undefined): AsyncGenerator<Uint8Array> {
    try {
      for (let k = 0; k < count; k++) yield Uint8Array.of(k, k, k);
    } finally {
      over();
    }
  }

  it('comes piece by piece to its end', async () => {
    const feed = new LaneFeed(9, 4);
    await feed.put(pieces(3));
    const source = new LaneSource(feed.lane, () => feed.taken());
    const read: number[] = [];
    for (let piece = source.next(); piece.length > 0; piece = source.next()) read.push(...piece);
    expect([source.size, read]).toEqual([9, [0, 0, 0, 1, 1, 1, 2, 2, 2]]);
  });

  it('is let go when nobody reads on, and says where it cannot be read', async () => {
    const feed = new LaneFeed(3e6, 4);
    let closed = false;
    const putting = feed.put(pieces(1e6, () => (closed = true)));
    await new Promise(setImmediate);
    feed.stop();
    await putting;
    expect(closed).toBe(true);
    const broken = new LaneFeed(3, 4);
    // eslint-disable-next-line require-yield -- it breaks before
    const gone = (async function* (): AsyncGenerator<Uint8Array> {
      throw new Error('away');
    })();
    await expect(broken.put(gone)).rejects.toThrow('away');
    expect(() => new LaneSource(broken.lane, () => undefined).next()).toThrow(/has gone/);
  });
});
