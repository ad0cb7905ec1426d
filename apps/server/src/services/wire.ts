import { randomUUID } from 'node:crypto';
import type { ServerEvent } from '@estampe/contracts';
import { eventSchema } from '@estampe/contracts';
import pg from 'pg';
import type { Logger } from 'pino';
import * as z from 'zod';

/** Small pictures of what is being measured go by a channel of their own: they are by far the most, and only servers have browsers to show them to. */
const CHANNELS = { events: 'estampe_events', pieces: 'estampe_pieces' } as const;
const RETRY_MS = 1000;

const message = z.object({ from: z.uuid(), event: eventSchema });

/** Carries events between the processes that share a database: what a worker's job does reaches the server's browsers, a cancel reaches the
 *  worker. Built on LISTEN and NOTIFY: nothing is kept, so a message that is lost while the database is away is simply lost; the job table
 *  says what is so, and `onBack` is the moment to look at it again. */
export class Wire {
  private readonly me = randomUUID();
  private client: pg.Client | null = null;
  private retry: NodeJS.Timeout | null = null;
  private stopped = false;
  private sending: Promise<void> = Promise.resolve();
  private heard: (event: ServerEvent) => void = () => undefined;
  private onBack: () => void = () => undefined;

  constructor(
    private readonly databaseUrl: string,
    private readonly log: Logger,
    /** Whether pieces are wanted here. */
    private readonly shows: boolean,
  ) {}

  /** @param heard events of other processes @param onBack called when the wire is up again after it was down */
  async start(heard: (event: ServerEvent) => void, onBack: () => void = () => undefined): Promise<void> {
    this.heard = heard;
    this.onBack = onBack;
    await this.open();
  }

  send(event: ServerEvent): void {
    // one after another: a connection takes one query at a time. What cannot be told is not worth a word; the next one will be
    this.sending = this.sending
      .then(() =>
        this.client?.query('select pg_notify($1, $2)', [
          event.type === 'piece' ? CHANNELS.pieces : CHANNELS.events,
          JSON.stringify({ from: this.me, event }),
        ]),
      )
      .then(
        () => undefined,
        (error: unknown) => this.log.debug({ err: error }, 'wire'),
      );
  }

  async stop(): Promise<void> {
    this.stopped = true;
    if (this.retry) clearTimeout(this.retry);
    await this.client?.end().catch(() => undefined);
    this.client = null;
  }

  private async open(): Promise<void> {
    const client = new pg.Client({ connectionString: this.databaseUrl, keepAlive: true });
    client.on('error', () => this.reopenLater(client));
    client.on('end', () => this.reopenLater(client));
    client.on('notification', ({ payload }) => this.receive(payload ?? ''));
    await client.connect();
    await client.query(`listen ${CHANNELS.events}`);
    if (this.shows) await client.query(`listen ${CHANNELS.pieces}`);
    this.client = client;
  }

  private receive(payload: string): void {
    let value: unknown;
    try {
      value = JSON.parse(payload);
    } catch {
      return; // somebody else's notification on our channel
    }
    const parsed = message.safeParse(value);
    if (parsed.success && parsed.data.from !== this.me) this.heard(parsed.data.event);
  }

  private reopenLater(client: pg.Client): void {
    if (this.client === client) this.client = null;
    if (this.stopped || this.retry !== null) return;
    this.retry = setTimeout(() => {
      this.retry = null;
      this.open().then(
        () => this.onBack(),
        () => this.reopenLater(client),
      );
    }, RETRY_MS);
  }
}
