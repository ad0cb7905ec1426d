import { MAX_UPLOAD_BYTES, MAX_UPLOAD_FILES } from '@estampe/contracts';
import {
  boundsOf,
  connectivityCount,
  EstampeError,
  faceCount,
  hasCompleteUvs,
  pointCount,
  SCENE_HEAD_BYTES,
  sceneOfHead,
} from '@estampe/core';
import { readMesh, zippedMeshes } from '@estampe/geometry';
import type { FileAt, FileReply, FileRequest, LookedAt } from './file-messages';

/** Largest file that is read here; of larger ones the beginning is looked at, and the server reads them. */
const READ_BYTES = 384 * 1024 ** 2;

async function look(file: File): Promise<LookedAt> {
  if (file.size > READ_BYTES)
    return { mesh: null, uvs: false, uvSets: [], scene: sceneOfHead(new Uint8Array(await file.slice(0, SCENE_HEAD_BYTES).arrayBuffer())) };
  const { mesh, scene, uvSets = [] } = await readMesh(new Uint8Array(await file.arrayBuffer()));
  const count = connectivityCount({ ...mesh, vertCount: pointCount(mesh) });
  const [x, y, z] = mesh.origin;
  const [x0, y0, z0, x1, y1, z1] = boundsOf(mesh.positions);
  return {
    mesh: { faces: faceCount(mesh), count, box: [x0 + x, y0 + y, z0 + z, x1 + x, y1 + y, z1 + z] },
    uvs: hasCompleteUvs(mesh),
    uvSets,
    scene: { metresPerUnit: scene.metresPerUnit, up: scene.up },
  };
}

async function unzip({ path, file }: FileAt): Promise<FileAt[]> {
  const meshes = await zippedMeshes(file, { files: MAX_UPLOAD_FILES, bytes: MAX_UPLOAD_BYTES });
  // folders of the zip count as if it had been a folder
  const inside = path.replace(/\.zip$/i, '');
  return meshes.map((mesh) => ({
    path: `${inside}/${mesh.path}`,
    file: new File([...mesh.pieces], mesh.path.split('/').at(-1) ?? mesh.path),
  }));
}

addEventListener('message', ({ data }: MessageEvent<FileRequest>) => {
  const { id } = data;
  const answer = (reply: FileReply): void => postMessage(reply);
  const refused =
    (name: string) =>
    (error: unknown): void =>
      answer({
        id,
        message:
          error instanceof EstampeError ? error.inFile(name).message : `${name}: ${error instanceof Error ? error.message : String(error)}`,
      });
  if ('look' in data) look(data.look).then((looked) => answer({ id, looked }), refused(data.look.name));
  else unzip(data.unzip).then((unzipped) => answer({ id, unzipped }), refused(data.unzip.path));
});
