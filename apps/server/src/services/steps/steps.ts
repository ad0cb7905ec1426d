import { CalibrateStep } from './calibrate';
import { DeliverStep } from './deliver';
import { LevelsStep } from './levels';
import { MapsStep } from './maps';
import type { StepPorts } from './order';
import { ProofStep } from './proof';
import { SculptStep } from './sculpt';
import { SheetStep } from './sheet';
import { Shelf } from './shelf';

/** What a user can ask for, a service a step of the page: each request is checked there, then becomes a job. */
export const stepsOf = (ports: StepPorts) => ({
  shelf: new Shelf(ports),
  sculpt: new SculptStep(ports),
  levels: new LevelsStep(ports),
  sheet: new SheetStep(ports),
  maps: new MapsStep(ports),
  calibrate: new CalibrateStep(ports),
  proof: new ProofStep(ports),
  deliver: new DeliverStep(ports),
});
export type Steps = ReturnType<typeof stepsOf>;
