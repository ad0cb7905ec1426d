import * as assets from './assets.state';
import * as bench from './bench.state';
import { rememberBench } from './bench-memory';
import * as calibrate from './calibrate.state';
import { mapsFeature } from './maps.state';
import * as press from './press.state';
import { proofFeature } from './proof.state';
import * as recipes from './recipes.state';
import * as storage from './storage.state';

/** Every slice of the store: one a step that has state, and what steps share. */
export const SLICES = {
  assets: assets.assetsFeature.reducer,
  bench: bench.benchFeature.reducer,
  maps: mapsFeature.reducer,
  calibrate: calibrate.calibrateFeature.reducer,
  proof: proofFeature.reducer,
  press: press.pressFeature.reducer,
  recipes: recipes.recipesFeature.reducer,
  storage: storage.storageFeature.reducer,
};

const { loadList, loadAsset, changeRow, offerUndo, sayWhyNot } = assets;
const { startJob, goToState, setGroups, copyRecipe, showStartedJob } = bench;
const { saveEncoding, showConflict } = calibrate;
const { announceEnd, listen, loadJobs, changeJob } = press;
const { loadRecipes, saveRecipe, useRecipe, removeRecipe } = recipes;
const { loadStorage, freeStorage } = storage;
/** Everything that happens besides. */
export const EFFECTS = {
  ...{ loadList, loadAsset, changeRow, offerUndo, sayWhyNot },
  ...{ startJob, goToState, setGroups, copyRecipe, showStartedJob, rememberBench },
  ...{ saveEncoding, showConflict },
  ...{ announceEnd, listen, loadJobs, changeJob },
  ...{ loadRecipes, saveRecipe, useRecipe, removeRecipe },
  ...{ loadStorage, freeStorage },
};
