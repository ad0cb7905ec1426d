import type { Manifest, Unit } from '@estampe/contracts';
import type { PolyMesh, RunControl } from '@estampe/core';
import { meshWithin, readMap, recordToJson, throwIfAborted, unpackMesh } from '@estampe/core';
import type { SheetPictures } from '@estampe/delivery';
import { deliveredMap, deliveredScene, formPicture, freeName, lowFileName, MANIFEST_FILE, manifestBytes, manifestOf, mapPicture, sculptFileName, setUpSheet, SHEET_FILE } from '@estampe/delivery'; // prettier-ignore
import { writeMesh } from '@estampe/geometry';
import { nodeZlib, sha256 } from '@estampe/node';
import { lightOf } from './light-mesh';
import type { DeliveryResult, JobInput } from './job-messages';

/** Puts a delivery together: the light mesh as the maps' base, the proven files as they are, manifest and set-up sheet. Equal input
 *  gives equal bytes. */
export async function runDelivery(input: Extract<JobInput, { kind: 'delivery' }>, control: RunControl): Promise<DeliveryResult> {
  const { asset, version, settings: s, unit, up, createdAt, free } = input;
  const low = lightOf({ before: input.low, groups: input.groups });
  const sculpt = meshWithin(input.sculpt);
  const files: DeliveryResult['files'][number][] = [];
  const put = (path: string, bytes: Uint8Array): { file: string; sha256: string; bytes: number } => {
    files.push({ path, bytes });
    return { file: path, sha256: sha256(bytes), bytes: bytes.length };
  };
  control.onProgress?.(0.05, 'writing the meshes');
  const scene = deliveredScene(unit as Unit, s, up);
  const putMesh = async (name: string, mesh: PolyMesh) => put(name, (await writeMesh(mesh, name, { control, scene })).bytes);
  const lowFile = await putMesh(lowFileName(asset, s.fromLevel, low), low);
  const sculptFile = input.withSculpt ? await putMesh(sculptFileName(asset, sculpt), sculpt) : null;
  throwIfAborted(control);
  const maps: Manifest['maps'] = [];
  const pictures: SheetPictures['maps'][number][] = [];
  for (const [i, map] of input.maps.entries()) {
    throwIfAborted(control);
    control.onProgress?.(0.4 + (0.4 * i) / input.maps.length, 'drawing the sheet');
    const tiles = map.files.map(({ record, figures, name, hash, bytes }) => {
      const file = freeName(name, map.size[0], new Set(files.map((f) => f.path)));
      files.push({ path: file, hash });
      put(`${file}.json`, new TextEncoder().encode(recordToJson(record)));
      return { record, figures, file, sha256: hash, bytes };
    });
    maps.push(deliveredMap(tiles, map.size, map.encoding.fileType, map.outcome));
    pictures.push({
      map: await mapPicture((await readMap(map.shown, nodeZlib)).raster),
      proof: map.mesh === null ? null : await formPicture(unpackMesh(map.mesh), up),
    });
  }
  const steps = Math.max(...input.maps.map(({ outcome: o }) => ('subdivisions' in o.report ? o.report.subdivisions : 0)));
  const manifest = manifestOf({
    asset,
    version,
    createdAt,
    unit: unit as Manifest['unit'],
    low,
    lowLevel: s.fromLevel,
    lowFile,
    tiles: [...new Set(input.maps.flatMap((m) => m.files.map((f) => f.tile)))].sort((a, b) => a - b),
    sculpt,
    sculptLevel: free ? null : s.toLevel,
    sculptFile,
    steps,
    surface: { boundary: s.boundary, uv: s.uv },
    maps,
  });
  throwIfAborted(control);
  put(MANIFEST_FILE, manifestBytes(manifest));
  const sheet = new TextEncoder().encode(setUpSheet(manifest, { sculpt: await formPicture(sculpt, up), maps: pictures }));
  put(SHEET_FILE, sheet);
  return { kind: 'delivery', manifest, sheet, files };
}
