import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import { RouterOutlet } from '@angular/router';
import { Room } from './shared/room';

@Component({
  selector: 'est-root',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterOutlet],
  template: '<router-outlet />',
})
export class App {
  /** Every page is shown in the room that was chosen last. */
  protected readonly room = inject(Room);
}
