import { Injectable } from '@angular/core';
import type { ServerEvent } from '@estampe/contracts';
import { addressOf, eventSchema, ROUTES } from '@estampe/contracts';
import { Observable, share } from 'rxjs';

/** What the server sends by itself, or that it could be reached again after a pause. */
export type StreamItem = { readonly type: 'event'; readonly event: ServerEvent } | { readonly type: 'connected' };

/** The event stream, one connection for all who listen. The browser reconnects by itself; each connection is announced so that what was missed can be fetched. */
@Injectable({ providedIn: 'root' })
export class ServerEvents {
  readonly stream = new Observable<StreamItem>((subscriber) => {
    const source = new EventSource(addressOf(ROUTES.events, {}));
    const onMessage = (message: MessageEvent<string>): void => {
      const event = eventSchema.safeParse(JSON.parse(message.data));
      if (event.success) subscriber.next({ type: 'event', event: event.data });
    };
    source.addEventListener('job', onMessage);
    source.addEventListener('asset', onMessage);
    source.addEventListener('piece', onMessage);
    source.addEventListener('open', () => subscriber.next({ type: 'connected' }));
    return () => source.close();
  }).pipe(share());
}
