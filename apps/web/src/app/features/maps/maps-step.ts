import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import type { AssetDetail, MeasureRecipe, MeasureRequest } from '@estampe/contracts';
import { transferSchema } from '@estampe/contracts';
import { Store } from '@ngrx/store';
import { Bench } from '../../shared/bench';
import type { Shot } from '../../shared/tolerance';
import { proposedTolerance } from '../../shared/tolerance';
import { assetsFeature } from '../../state/assets.state';
import { LevelsCard, MapsCard as Actions, ProofCard } from '../../state/bench-actions';
import { benchFeature } from '../../state/bench.state';
import { mapsFeature } from '../../state/maps.state';
import { proofFeature } from '../../state/proof.state';
import { pressFeature } from '../../state/press.state';
import { RecipeBar, recipesFeature } from '../../state/recipes.state';
import { MapsCard } from './maps-card';
import { measureRequest } from './measure-request';

/** The step Maps: what a pass measures, and what it found. */
@Component({
  selector: 'est-maps-step',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [MapsCard, MatButtonModule],
  template: `
    @if (asset(); as a) {
      @if (a.stackKind === 'alone' && a.tiles.length === 0) {
        <h2>Maps</h2>
        <p>
          A map measures from a light mesh to a finer one, and {{ a.part.name }} is one mesh so far. Bring in its light mesh or its sculpt
          first.
        </p>
        <p class="actions"><button matButton="filled" type="button" (click)="bench.go('sculpt')">Bring it in</button></p>
      } @else {
        <est-maps-card
          [asset]="a"
          [span]="span()"
          [settings]="settings()"
          [jobs]="jobs()"
          [message]="message()"
          [shot]="draft().tolerance?.shot ?? null"
          (shotEdited)="changeShot(a, $event)"
          [recipes]="recipes()"
          [recipeMessage]="recipeMessage()"
          (recipeSaved)="saveRecipe($event)"
          (recipeUsed)="useRecipe(a, $event)"
          (recipeRemoved)="removeRecipe($event)"
          (edited)="changeSettings($event)"
          (extract)="extract(a, $event)"
          (recipeCopied)="copyRecipe(a, $event)"
          (cancelJob)="bench.cancelJob($event)"
          (showMarks)="bench.showMarks()"
          (transferred)="transfer(a)"
          (next)="bench.go('calibrate')"
        />
      }
    }
  `,
})
export class MapsStep {
  protected readonly bench = inject(Bench);
  private readonly store = inject(Store);
  protected readonly asset = this.store.selectSignal(assetsFeature.selectOpen);
  protected readonly jobs = this.store.selectSignal(pressFeature.selectAll);
  protected readonly span = this.store.selectSignal(mapsFeature.selectSpan);
  protected readonly settings = this.store.selectSignal(mapsFeature.selectSettings);
  protected readonly draft = this.store.selectSignal(proofFeature.selectDraft);
  protected readonly message = this.store.selectSignal(benchFeature.selectMessage);
  protected readonly recipes = this.store.selectSignal(recipesFeature.selectAll);
  protected readonly recipeMessage = this.store.selectSignal(recipesFeature.selectMessage);

  protected changeSettings(change: Partial<MeasureRequest>): void {
    this.store.dispatch(Actions.settingsChanged({ change }));
  }
  protected saveRecipe(recipe: MeasureRecipe): void {
    this.store.dispatch(RecipeBar.recipeSaved({ recipe }));
  }
  protected useRecipe({ id }: AssetDetail, recipeId: string | null): void {
    this.store.dispatch(RecipeBar.usualChosen({ assetId: id, recipeId }));
  }
  protected removeRecipe(recipeId: string): void {
    this.store.dispatch(RecipeBar.recipeRemoved({ recipeId }));
  }
  protected changeShot({ diagonal }: AssetDetail, shot: Shot): void {
    const tolerance = { ...(this.draft().tolerance ?? proposedTolerance(diagonal)), shot };
    this.store.dispatch(ProofCard.requestChanged({ change: { tolerance } }));
  }
  /** @param others parts that are measured in the same go, each by its own recipe */
  protected extract(asset: AssetDetail, others: readonly string[]): void {
    // read anew: the card may be a moment behind what was set last
    const settings = this.settings();
    const passes = asset.parts
      .filter((part) => others.includes(part.id))
      .map((part) => ({ partId: part.id, settings: part.recipe ?? measureRequest(settings, part.tiles) }));
    const own = { partId: asset.part.id, settings: measureRequest(settings, asset.tiles) };
    this.store.dispatch(Actions.extractPressed({ assetId: asset.id, passes: [...passes, own] }));
  }
  /** Begins at once; the step Levels shows how it goes. */
  protected transfer({ part }: AssetDetail): void {
    this.store.dispatch(LevelsCard.transferPressed({ partId: part.id, request: transferSchema.parse({}) }));
    this.bench.go('levels');
  }
  protected copyRecipe(asset: AssetDetail, partIds: readonly string[]): void {
    this.store.dispatch(Actions.recipeCopied({ partIds, recipe: measureRequest(this.settings(), asset.tiles) }));
  }
}
