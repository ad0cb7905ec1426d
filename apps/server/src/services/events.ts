import { createChannel } from 'better-sse';
import type { Channel } from 'better-sse';
import type { ServerEvent } from '@estampe/contracts';

/** What browsers hear of: jobs that move, assets that change. */
export class Events {
  readonly channel: Channel = createChannel();

  send(event: ServerEvent): void {
    this.channel.broadcast(event, event.type);
  }
}
