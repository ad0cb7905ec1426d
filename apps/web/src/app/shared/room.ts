import { Injectable, signal } from '@angular/core';
import * as z from 'zod';
import { remember, remembered } from './remembered';

const KEY = 'estampe.room';

/** The light the page is read in: a light room, or a dark one with dimmer paper. Remembered. */
@Injectable({ providedIn: 'root' })
export class Room {
  readonly dark = signal(remembered(KEY, z.boolean(), false));

  constructor() {
    this.show();
  }

  change(): void {
    this.dark.update((d) => !d);
    remember(KEY, this.dark());
    this.show();
  }

  /** A colour of the room, for what is drawn on a canvas; reading it follows the room. */
  colour(name: string): string {
    this.dark();
    return getComputedStyle(document.documentElement).getPropertyValue(name).trim();
  }

  private show(): void {
    document.documentElement.dataset['room'] = this.dark() ? 'dark' : 'light';
  }
}
