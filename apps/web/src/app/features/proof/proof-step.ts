import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import { RouterLink } from '@angular/router';
import type { AssetDetail, SpanInfo } from '@estampe/contracts';
import { Store } from '@ngrx/store';
import { Bench } from '../../shared/bench';
import { assetsFeature } from '../../state/assets.state';
import type { ProofDraft } from '../../state/proof-draft';
import { ProofCard as Actions } from '../../state/bench-actions';
import { benchFeature } from '../../state/bench.state';
import { calibrateFeature } from '../../state/calibrate.state';
import { mapsFeature } from '../../state/maps.state';
import { proofFeature } from '../../state/proof.state';
import { pressFeature } from '../../state/press.state';
import { ProofCard } from './proof-card';
import { proveRequest } from './prove-request';

/** The step Proof: the written files against the sculpt. */
@Component({
  selector: 'est-proof-step',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ProofCard, RouterLink],
  template: `
    @if (asset(); as a) {
      @if (span(); as s) {
        @if (encoding()) {
          <est-proof-card
            [span]="s"
            [unit]="a.unit"
            [diagonal]="a.diagonal"
            [encoding]="encoding()"
            [proof]="proof()?.proof ?? null"
            [current]="proof()?.current ?? true"
            [draft]="draft()"
            [stack]="a.stackKind === 'stack'"
            [jobs]="jobs()"
            [message]="message()"
            (edited)="changeDraft($event)"
            (prove)="prove(a, s)"
            (study)="study($event)"
            (visit)="bench.visit($event)"
            (next)="bench.go('deliver')"
            (cancelJob)="bench.cancelJob($event)"
          />
        } @else {
          <p>
            This span is not measured yet.
            <a [routerLink]="['/assets', a.id, 'maps']" queryParamsHandling="preserve">Extract it in Maps</a>, then prove its map here.
          </p>
        }
      } @else {
        <p>
          There is nothing to prove yet:
          <a [routerLink]="['/assets', a.id, 'maps']" queryParamsHandling="preserve">extract a span in Maps</a>.
        </p>
      }
    }
  `,
})
export class ProofStep {
  protected readonly bench = inject(Bench);
  private readonly store = inject(Store);
  protected readonly asset = this.store.selectSignal(assetsFeature.selectOpen);
  protected readonly jobs = this.store.selectSignal(pressFeature.selectAll);
  protected readonly span = this.store.selectSignal(mapsFeature.selectSpan);
  protected readonly encoding = this.store.selectSignal(calibrateFeature.selectEncoding);
  protected readonly proof = this.store.selectSignal(proofFeature.selectProof);
  protected readonly draft = this.store.selectSignal(proofFeature.selectDraft);
  protected readonly message = this.store.selectSignal(benchFeature.selectMessage);

  protected changeDraft(change: Partial<ProofDraft>): void {
    this.store.dispatch(Actions.requestChanged({ change }));
  }
  protected prove(asset: AssetDetail, span: SpanInfo): void {
    const encoding = this.encoding();
    if (!encoding) return;
    const request = proveRequest(this.draft(), span.settings, asset.stackKind === 'stack', asset.diagonal);
    this.store.dispatch(Actions.provePressed({ spanId: span.id, encoding, request }));
  }
  protected study(proofId: string): void {
    this.store.dispatch(Actions.studyPressed({ proofId }));
  }
}
