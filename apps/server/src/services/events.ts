import type { ServerResponse } from 'node:http';
import { createChannel } from 'better-sse';
import type { Session } from 'better-sse';
import type { ServerEvent } from '@estampe/contracts';
import type { Wire } from './wire';

/** Hears of jobs that move and assets that change. */
export interface EventSink {
  send(event: ServerEvent): void;
}

/** Bytes that wait for a slow reader: above the first it gets no more pictures, above the second it is let go and comes again by itself. */
const SLOW_BYTES = 64 * 1024;
const LOST_BYTES = 512 * 1024;
/** Pages that may listen at once. */
const MOST_LISTENERS = 256;

/** What browsers hear of; told on to the other processes too. */
export class Events implements EventSink {
  private readonly channel = createChannel();
  private readonly responses = new Map<Session, ServerResponse>();

  constructor(private readonly wire: Wire) {}

  get full(): boolean {
    return this.responses.size >= MOST_LISTENERS;
  }

  listen(session: Session, response: ServerResponse): void {
    this.responses.set(session, response);
    response.once('close', () => this.responses.delete(session));
    this.channel.register(session);
  }

  send(event: ServerEvent): void {
    this.show(event);
    this.wire.send(event);
  }

  /** Shows what another process has told. */
  show(event: ServerEvent): void {
    this.channel.broadcast(event, event.type, { filter: (session) => this.keepsUp(session, event.type) });
  }

  private keepsUp(session: Session, type: ServerEvent['type']): boolean {
    const response = this.responses.get(session);
    if (response === undefined) return false;
    const waiting = response.writableLength;
    if (waiting > LOST_BYTES) response.destroy();
    return waiting <= (type === 'piece' ? SLOW_BYTES : LOST_BYTES);
  }
}
