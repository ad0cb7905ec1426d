import { basename } from 'node:path';
import type { MapFile, PolyMesh, RunControl } from '@estampe/core';
import { EstampeError, faceCount, readMap, readObj } from '@estampe/core';
import type { MapRecordKeys } from '@estampe/contracts';
import { parseMapRecord } from '@estampe/contracts';
import { nodeZlib, readInput, ThreadPool, writeOutput } from '@estampe/node';

/** What a command runs with: threads, cancel, progress, warnings. */
export class Context {
  readonly warnings: string[] = [];
  readonly threads: ThreadPool;
  readonly control: RunControl;

  constructor(threads: number | undefined, signal: { readonly aborted: boolean }) {
    this.threads = new ThreadPool(new URL('./kernel.worker.mjs', import.meta.url), threads);
    this.control = process.stderr.isTTY ? { signal, onProgress: progressLine() } : { signal };
  }

  async readMesh(path: string): Promise<PolyMesh> {
    const bytes = await readInput(path);
    try {
      const { mesh, warnings } = readObj(bytes, this.control);
      this.warnings.push(...warnings.map((w) => `${path}: ${w}`));
      return mesh;
    } catch (error) {
      throw error instanceof EstampeError && error.code !== 'CANCELLED' ? error.inFile(path) : error;
    }
  }

  /** A map with what its attributes and its sidecar say. */
  async readMap(path: string): Promise<MapFile & { readonly attributes: MapRecordKeys; readonly sidecar: MapRecordKeys }> {
    const bytes = await readInput(path);
    try {
      const file = await readMap(bytes, nodeZlib);
      const { record, refused } = parseMapRecord(file.record);
      if (refused.length > 0) this.warnings.push(`${path}: the attributes ${refused.join(', ')} make no sense and were passed over.`);
      return { ...file, attributes: record, sidecar: await this.readSidecar(path) };
    } catch (error) {
      throw error instanceof EstampeError ? error.inFile(path) : error;
    }
  }

  private async readSidecar(path: string): Promise<MapRecordKeys> {
    let text: string;
    try {
      text = Buffer.from(await readInput(`${path}.json`)).toString('utf8');
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

  writeJson(path: string, value: unknown): Promise<void> {
    return writeOutput(path, Buffer.from(`${JSON.stringify(value, null, 2)}\n`));
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
