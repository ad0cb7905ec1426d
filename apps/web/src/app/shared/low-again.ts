import { ChangeDetectionStrategy, Component, inject, input, output, signal } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatProgressBarModule } from '@angular/material/progress-bar';
import type { Uploaded } from '@estampe/contracts';
import { lastValueFrom, tap } from 'rxjs';
import { Api, sentenceOf } from '../api/api';
import { MESH_FILES, refusalOf } from './mesh-files';

/** Takes the light mesh again, by picking or by dropping, and sends it up. */
@Component({
  selector: 'est-low-again',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [MatButtonModule, MatProgressBarModule],
  host: { '(dragover)': '$event.preventDefault()', '(drop)': 'drop($event)' },
  template: `
    @if (fraction(); as sent) {
      <mat-progress-bar mode="determinate" aria-label="Upload" [value]="100 * sent.share" />
    } @else {
      <button matButton="outlined" type="button" (click)="picker.click()">{{ label() }}</button>
      <input #picker hidden type="file" aria-label="The light mesh" [accept]="accepted" (change)="pick($event)" />
    }
    @if (message(); as text) {
      <p class="note bad" role="alert">{{ text }}</p>
    }
  `,
  styles: `
    :host {
      display: block;
    }
  `,
})
export class LowAgain {
  readonly label = input('Bring the light mesh in again');
  protected readonly accepted = MESH_FILES;
  readonly sent = output<Uploaded>();
  private readonly api = inject(Api);
  protected readonly fraction = signal<{ readonly share: number } | null>(null);
  protected readonly message = signal<string | null>(null);

  protected pick(event: Event): void {
    const input = event.target as HTMLInputElement;
    const file = input.files?.[0];
    input.value = '';
    if (file) void this.send(file);
  }
  protected drop(event: DragEvent): void {
    event.preventDefault();
    const file = event.dataTransfer?.files[0];
    if (file) void this.send(file);
  }

  private async send(file: File): Promise<void> {
    this.message.set(refusalOf(file));
    if (this.message() !== null) return;
    this.fraction.set({ share: 0 });
    try {
      const last = await lastValueFrom(
        this.api.upload(file).pipe(
          tap((step) => {
            if ('fraction' in step) this.fraction.set({ share: step.fraction });
          }),
        ),
      );
      if ('uploaded' in last) this.sent.emit(last.uploaded);
    } catch (error) {
      this.message.set(sentenceOf(error));
    } finally {
      this.fraction.set(null);
    }
  }
}
