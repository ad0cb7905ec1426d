import { inject, Injectable } from '@angular/core';
import type { MendRequest, ProofInfo } from '@estampe/contracts';
import { addressOf, ROUTES } from '@estampe/contracts';
import type { MeshSeams } from '@estampe/core';
import type { DrawnMesh, MendOutcome, MeshFaces, MeshRequest } from '../workers/mesh-messages';
import { WorkerCalls } from '../workers/worker-calls';
import { MESH_WORKER } from '../workers/worker-tokens';

/** How many meshes stay in memory; the oldest goes first. */
const KEPT = 8;

/** Meshes for the Stage, by address. Typed arrays stay here, never in the store. */
@Injectable({ providedIn: 'root' })
export class MeshStore {
  private readonly calls = new WorkerCalls(inject(MESH_WORKER));
  private readonly meshes = new Map<string, Promise<DrawnMesh>>();

  level(meshId: string): Promise<DrawnMesh> {
    return this.get({ url: addressOf(ROUTES.meshData, { id: meshId }), errorsUrl: null, use: 'plain', coarser: 0 });
  }
  light(meshId: string): Promise<DrawnMesh> {
    return this.get({ url: addressOf(ROUTES.meshData, { id: meshId }), errorsUrl: null, use: 'light', coarser: 0 });
  }
  /** Split along its UV seams, to lay a map on. */
  sheeted(meshId: string): Promise<DrawnMesh> {
    return this.get({ url: addressOf(ROUTES.meshData, { id: meshId }), errorsUrl: null, use: 'sheeted', coarser: 0 });
  }
  /** @param coarser levels of its refinement that are left out */
  proof({ meshHash, errorsHash }: Pick<ProofInfo, 'meshHash' | 'errorsHash'>, coarser: number): Promise<DrawnMesh> {
    return this.get({
      url: addressOf(ROUTES.blob, { hash: meshHash }),
      errorsUrl: addressOf(ROUTES.blob, { hash: errorsHash }),
      use: 'plain',
      coarser,
    });
  }

  /** What a mend would do to a light mesh. */
  async tryMend(meshId: string, { mend, amount }: MendRequest): Promise<MendOutcome> {
    const url = addressOf(ROUTES.meshData, { id: meshId });
    return (await this.calls.ask<{ outcome: MendOutcome }>({ url, mend, amount })).outcome;
  }

  /** Groups of a mesh, and how its faces lie together. */
  async faces(meshId: string): Promise<MeshFaces> {
    const url = addressOf(ROUTES.meshData, { id: meshId });
    return (await this.calls.ask<{ meshFaces: MeshFaces }>({ url, faces: true })).meshFaces;
  }

  /** Edges of a mesh, and where its islands part. */
  async seams(meshId: string): Promise<MeshSeams> {
    const url = addressOf(ROUTES.meshData, { id: meshId });
    return (await this.calls.ask<{ meshSeams: MeshSeams }>({ url, seams: true })).meshSeams;
  }

  private get(request: Omit<MeshRequest, 'id'>): Promise<DrawnMesh> {
    const key = `${request.url} ${request.errorsUrl ?? ''} ${request.use} ${request.coarser}`;
    let mesh = this.meshes.get(key);
    if (mesh === undefined) {
      mesh = this.calls.ask<{ mesh: DrawnMesh }>(request).then((reply) => reply.mesh);
      mesh.catch(() => this.meshes.delete(key));
      this.meshes.set(key, mesh);
      if (this.meshes.size > KEPT) this.meshes.delete([...this.meshes.keys()][0]);
    }
    return mesh;
  }
}
