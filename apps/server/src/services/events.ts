import { createChannel } from 'better-sse';
import type { Channel } from 'better-sse';
import type { ServerEvent } from '@estampe/contracts';
import type { Wire } from './wire';

/** Hears of jobs that move and assets that change. */
export interface EventSink {
  send(event: ServerEvent): void;
}

/** What browsers hear of; told on to the other processes too. */
export class Events implements EventSink {
  readonly channel: Channel = createChannel();

  constructor(private readonly wire: Wire) {}

  send(event: ServerEvent): void {
    this.show(event);
    this.wire.send(event);
  }

  /** Shows what another process has told. */
  show(event: ServerEvent): void {
    this.channel.broadcast(event, event.type);
  }
}
