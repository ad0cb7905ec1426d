import { ChangeDetectionStrategy, Component, inject, output, signal } from '@angular/core';
import type { Uploaded } from '@estampe/contracts';
import { lastValueFrom, tap } from 'rxjs';
import { Api, sentenceOf } from '../../api/api';
import { MESH_FILES, refusalOf } from '../../shared/mesh-files';

/** Takes the light mesh again, by picking or by dropping, and sends it up. */
@Component({
  selector: 'est-low-again',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { '(dragover)': '$event.preventDefault()', '(drop)': 'drop($event)' },
  template: `
    @if (fraction() === null) {
      <label class="pick"
        ><input type="file" [accept]="accepted" (change)="pick($event)" /><span class="plain-button"
          >Bring the light mesh in again</span
        ></label
      >
    } @else {
      <progress [value]="fraction()" max="1" aria-label="Upload"></progress>
    }
    @if (message(); as text) {
      <p class="note bad" role="alert">{{ text }}</p>
    }
  `,
  styles: `
    :host {
      display: block;
    }
    .pick {
      display: inline-block;
      cursor: pointer;
    }
    input {
      position: absolute;
      opacity: 0;
      width: 1px;
    }
    .pick:focus-within .plain-button {
      outline: 2px solid var(--prussian);
      outline-offset: 1px;
    }
    progress {
      width: 100%;
    }
  `,
})
export class LowAgain {
  protected readonly accepted = MESH_FILES;
  readonly sent = output<Uploaded>();
  private readonly api = inject(Api);
  protected readonly fraction = signal<number | null>(null);
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
    this.fraction.set(0);
    try {
      const last = await lastValueFrom(
        this.api.upload(file).pipe(
          tap((step) => {
            if ('fraction' in step) this.fraction.set(step.fraction);
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
