import { basename } from 'node:path';
import { setImmediate as breathe } from 'node:timers/promises';
import type { Worker } from 'node:worker_threads';
import type { MapFile, MeshFile, PolyMesh, ReadMeshOptions, RunControl } from '@estampe/core';
import { ByteWindow, EstampeError, faceCount, readMap, throwIfAborted } from '@estampe/core';
import type { MapRecordKeys } from '@estampe/contracts';
import { parseMapRecord } from '@estampe/contracts';
import { readMesh } from '@estampe/geometry';
import { nodeZlib, openInput, packOn, readInput, requireFreeOutputs, ThreadPool, writeOutput } from '@estampe/node';
import type { CommonOptions } from './args';
import { KERNEL_WORKER } from './early-threads';

/** What a command runs with: threads, cancel, progress, warnings, its files. */
export class Context {
  readonly warnings: string[] = [];
  readonly threads: ThreadPool;
  readonly control: RunControl;
  /** Where the report goes; null for nowhere. */
  readonly json: string | null;
  /** Whether it is sure that no output is an input; null as long as nobody has looked. */
  claimed: boolean | null = null;

  /** @param early threads that were started for it */
  constructor({ threads, json }: CommonOptions, signal: { readonly aborted: boolean }, watched: boolean, early: readonly Worker[]) {
    this.threads = new ThreadPool(KERNEL_WORKER, threads, early);
    packOn(this.threads.count);
    this.control = watched ? { signal, onProgress: progressLine() } : { signal };
    this.json = json ?? null;
  }

  /** Refuses outputs (the report among them) that are inputs or each other. A map's name stands for its sidecar too.
   *  @throws InvalidInputError BAD_OPTION, NOT_FOUND before anything is done */
  async claim(files: {
    readonly inputs?: readonly (string | undefined)[];
    readonly maps?: readonly (string | undefined)[];
    readonly outputs?: readonly string[];
    readonly mapOutput?: string;
  }): Promise<void> {
    const both = (path: string | undefined): string[] => (path === undefined ? [] : [path, sidecarOf(path)]);
    const inputs = [...(files.inputs ?? []).filter((path) => path !== undefined), ...(files.maps ?? []).flatMap(both)];
    const outputs = [...(files.outputs ?? []), ...both(files.mapOutput), ...(this.json === null ? [] : [this.json])];
    this.claimed = false;
    await requireFreeOutputs(inputs, outputs);
    this.claimed = true;
  }

  /** Between two long steps: lets a cancel through. @throws CancelledError */
  async pause(): Promise<void> {
    await breathe();
    throwIfAborted(this.control);
  }

  readonly readMesh = async (path: string): Promise<PolyMesh> => (await this.readMeshFile(path)).mesh;

  /** A mesh whose UVs nobody asks for: those of a sculpt. The threads that will work on it start while it is read.
   *  @param onCounts hears what it has, where the file says so before it comes */
  readonly readSculpt = async (path: string, onCounts?: ReadMeshOptions['onCounts']): Promise<PolyMesh> => {
    this.threads.start();
    return (await this.readMeshFile(path, { withoutUvs: true, allocate: this.threads.allocate, onCounts })).mesh;
  };

  /** A mesh of any format, with what its file says besides. */
  async readMeshFile(path: string, options: Omit<ReadMeshOptions, 'control'> = {}): Promise<MeshFile> {
    const input = await openInput(path);
    try {
      const file = await readMesh(new ByteWindow(input), { ...options, control: this.control });
      this.warnings.push(...file.warnings.map((w) => `${path}: ${w}`));
      if (file.uvSets !== undefined && options.uvSet === undefined)
        this.warnings.push(
          `${path}: of the UV sets ${file.uvSets.join(', ')} the usual one was taken; to take another, convert it with --uv-set.`,
        );
      return file;
    } catch (error) {
      throw error instanceof EstampeError && error.code !== 'CANCELLED' ? error.inFile(path) : error;
    } finally {
      input.close();
    }
  }

  /** A map with what its attributes and its sidecar say. */
  async readMap(path: string): Promise<MapFile & { readonly attributes: MapRecordKeys; readonly sidecar: MapRecordKeys }> {
    const bytes = await readInput(path);
    try {
      const file = await readMap(bytes, nodeZlib);
      const { record, refused } = parseMapRecord(file.record);
      if (refused.length > 0) this.warnings.push(passedOver(path, refused));
      return { ...file, attributes: record, sidecar: await this.readSidecar(path) };
    } catch (error) {
      throw error instanceof EstampeError ? error.inFile(path) : error;
    }
  }

  private async readSidecar(path: string): Promise<MapRecordKeys> {
    let text: string;
    try {
      text = Buffer.from(await readInput(sidecarOf(path))).toString('utf8');
    } catch {
      return {}; // maps from elsewhere have none
    }
    try {
      const parsed: unknown = JSON.parse(text);
      const plain = Object.fromEntries(Object.entries(parsed as Record<string, unknown>).map(([k, v]) => [k.replace(/^estampe:/, ''), v]));
      return parseMapRecord(plain).record;
    } catch {
      this.warnings.push(`${path}.json: the sidecar is not readable and was passed over.`);
      return {};
    }
  }

  async writeReport(report: object): Promise<void> {
    if (this.json !== null) await writeOutput(this.json, Buffer.from(`${JSON.stringify(report, null, 2)}\n`));
  }

  describe(path: string, mesh: PolyMesh): string {
    return `${basename(path)}: ${mesh.positions.length / 3} points, ${faceCount(mesh)} faces`;
  }
}

/** One line on the terminal, rewritten at most ten times a second. */
function progressLine(): (fraction: number, stage: string) => void {
  let last = 0;
  return (fraction, stage) => {
    const now = Date.now();
    if (now - last < 100 && fraction < 1) return;
    last = now;
    process.stderr.write(`\r\x1b[K${fraction < 1 ? `${(100 * fraction).toFixed(0).padStart(3)} %  ${stage}` : ''}`);
  };
}

/** Seconds since the last call, to a millisecond. */
export function stopwatch(): () => number {
  let last = performance.now();
  return () => {
    const now = performance.now();
    const seconds = Math.round(now - last) / 1000;
    last = now;
    return seconds;
  };
}

/** The file beside a map that says what it is. */
export const sidecarOf = (path: string): string => `${path}.json`;

export const passedOver = (path: string, refused: readonly string[]): string =>
  `${path}: the attributes ${refused.join(', ')} make no sense and were passed over.`;
