import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import { RouterLink } from '@angular/router';
import type { EncodingSettings } from '@estampe/contracts';
import { Store } from '@ngrx/store';
import { Bench } from '../../shared/bench';
import { assetsFeature } from '../../state/assets.state';
import { CalibrateCard as Actions } from '../../state/bench-actions';
import { benchFeature } from '../../state/bench.state';
import { calibrateFeature } from '../../state/calibrate.state';
import { mapsFeature } from '../../state/maps.state';
import { proofFeature } from '../../state/proof.state';
import { CalibrateCard } from './calibrate-card';

/** The step Calibrate: depth, midpoint, scale and what they cost. */
@Component({
  selector: 'est-calibrate-step',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [CalibrateCard, RouterLink],
  template: `
    @if (span(); as s) {
      @if (s.fields.length > 0) {
        <est-calibrate-card
          [span]="s"
          [unit]="unit()"
          [encoding]="encoding()"
          [canUndo]="(history()?.past?.length ?? 0) > 0"
          [canRedo]="(history()?.future?.length ?? 0) > 0"
          [tolerance]="tolerance()"
          [theirs]="history()?.theirs?.encoding ?? null"
          [saveMessage]="message()"
          (changed)="encode(s.id, $event)"
          (undo)="undo(s.id)"
          (redo)="redo(s.id)"
          (takeTheirs)="takeTheirs(s.id)"
          (keepOurs)="keepOurs(s.id)"
          (showMarks)="bench.showMarks()"
          (next)="bench.go('proof')"
        />
      } @else {
        <p>
          This span is not extracted yet.
          <a [routerLink]="['/assets', asset()?.id, 'maps']" queryParamsHandling="preserve">Extract it in Maps</a>, then calibrate its map
          here.
        </p>
      }
    } @else {
      <p>
        There is no span yet. Drag from one rung of the Ladder to another, then
        <a [routerLink]="['/assets', asset()?.id, 'maps']" queryParamsHandling="preserve">extract it in Maps</a>.
      </p>
    }
  `,
})
export class CalibrateStep {
  protected readonly bench = inject(Bench);
  private readonly store = inject(Store);
  protected readonly asset = this.store.selectSignal(assetsFeature.selectOpen);
  protected readonly span = this.store.selectSignal(mapsFeature.selectSpan);
  protected readonly unit = this.store.selectSignal(mapsFeature.selectValueUnit);
  protected readonly history = this.store.selectSignal(calibrateFeature.selectHistory);
  protected readonly encoding = this.store.selectSignal(calibrateFeature.selectEncoding);
  protected readonly tolerance = this.store.selectSignal(proofFeature.selectTolerance);
  protected readonly message = this.store.selectSignal(benchFeature.selectMessage);

  protected encode(spanId: string, encoding: EncodingSettings): void {
    this.store.dispatch(Actions.encodingChanged({ spanId, encoding }));
  }
  protected undo(spanId: string): void {
    this.store.dispatch(Actions.undoPressed({ spanId }));
  }
  protected redo(spanId: string): void {
    this.store.dispatch(Actions.redoPressed({ spanId }));
  }
  protected takeTheirs(spanId: string): void {
    this.store.dispatch(Actions.theirsTaken({ spanId }));
  }
  protected keepOurs(spanId: string): void {
    this.store.dispatch(Actions.oursKept({ spanId }));
  }
}
