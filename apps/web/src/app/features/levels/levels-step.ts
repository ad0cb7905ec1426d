import { ChangeDetectionStrategy, Component, inject, signal } from '@angular/core';
import type { AssetDetail, LevelEditRequest, TransferRequest, TransferSettings } from '@estampe/contracts';
import { transferSettingsSchema } from '@estampe/contracts';
import { Store } from '@ngrx/store';
import { Bench } from '../../shared/bench';
import { assetsFeature } from '../../state/assets.state';
import { LevelsCard as Actions, SheetCard as SheetActions } from '../../state/bench-actions';
import { benchFeature } from '../../state/bench.state';
import { pressFeature } from '../../state/press.state';
import { proofFeature } from '../../state/proof.state';
import { LevelsCard } from './levels-card';

/** The step Levels: the stack, and the way to one from a free sculpt. */
@Component({
  selector: 'est-levels-step',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [LevelsCard],
  template: `
    @if (asset(); as a) {
      <est-levels-card
        [asset]="a"
        [settings]="settings()"
        [jobs]="jobs()"
        [message]="message()"
        [pixelsPerUnit]="pixels()"
        (edited)="change($event)"
        (transfer)="transfer(a, $event)"
        (edit)="editLevels(a, $event)"
        (went)="goTo(a, $event)"
        (lit)="bench.lightFaces($event.faces, $event.level)"
        (cancelJob)="bench.cancelJob($event)"
        (opened)="bench.choosePart($event)"
        (toSculpt)="bench.go('sculpt')"
        (next)="bench.go('sheet')"
      />
    }
  `,
})
export class LevelsStep {
  protected readonly bench = inject(Bench);
  private readonly store = inject(Store);
  protected readonly asset = this.store.selectSignal(assetsFeature.selectOpen);
  protected readonly jobs = this.store.selectSignal(pressFeature.selectAll);
  protected readonly message = this.store.selectSignal(benchFeature.selectMessage);
  protected readonly pixels = this.store.selectSignal(proofFeature.selectPixelsPerUnit);
  // lengths mean nothing for another asset, so they are not remembered
  protected readonly settings = signal<TransferSettings>(transferSettingsSchema.parse({}));

  protected change(change: Partial<TransferSettings>): void {
    this.settings.update((settings) => ({ ...settings, ...change }));
  }
  protected transfer({ part }: AssetDetail, request: TransferRequest): void {
    this.store.dispatch(Actions.transferPressed({ partId: part.id, request }));
  }
  protected editLevels({ part }: AssetDetail, edit: LevelEditRequest): void {
    this.store.dispatch(Actions.levelsEdited({ partId: part.id, edit }));
  }
  protected goTo({ part }: AssetDetail, place: number): void {
    this.store.dispatch(SheetActions.stateChosen({ partId: part.id, place }));
  }
}
