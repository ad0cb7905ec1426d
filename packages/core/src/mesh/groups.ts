import { InvalidInputError } from '../runtime/errors';
import type { PolyMesh, Section } from './poly-mesh';
import { faceCount } from './poly-mesh';

/** Which group each face belongs to. A face without one belongs to the group whose name is empty. */
export interface FaceGroups {
  readonly names: readonly string[];
  readonly of: Uint16Array; // F, indices of names
}
/** The same to be stored: how many faces in a row have which group, one pair after another. */
export interface GroupRuns {
  readonly names: readonly string[];
  readonly runs: readonly number[];
}

/** Groups as a mesh has them: its groups, or where no face has one its objects, or its materials. In the order of its sections. */
export function faceGroups({ sections, faceSections }: PolyMesh): FaceGroups {
  const key = (['group', 'object', 'material'] as const).find((k) => sections.some((section) => section[k] !== '')) ?? 'group';
  const numbers = new Map<string, number>();
  const numberOf = (section: Section): number => {
    const name = section[key];
    const known = numbers.get(name) ?? numbers.size;
    numbers.set(name, known);
    return known;
  };
  const used = new Uint8Array(sections.length);
  for (const s of faceSections) used[s] = 1;
  const bySection = sections.map((section, s) => (used[s] === 1 ? numberOf(section) : 0));
  const of = faceSections.map((s) => bySection[s]);
  return { names: [...numbers.keys()], of };
}

/** A mesh with other groups; objects, materials and smoothing stay. @throws InvalidInputError BAD_OPTION for groups of another mesh */
export function withGroups(mesh: PolyMesh, { names, of }: FaceGroups): PolyMesh {
  if (of.length !== faceCount(mesh))
    throw new InvalidInputError('BAD_OPTION', `These groups are for ${of.length} faces, and the mesh has ${faceCount(mesh)}.`);
  const S = mesh.sections.length;
  const keyOf = (f: number): number => of[f] * S + mesh.faceSections[f];
  // in the order of the groups, so that they come back in it
  const keys = [...new Set(Array.from(of, (_, f) => keyOf(f)))].sort((a, b) => a - b);
  const numbers = new Map(keys.map((key, number) => [key, number]));
  const sections = keys.map((key): Section => ({ ...mesh.sections[key % S], group: names[Math.floor(key / S)] }));
  return { ...mesh, sections, faceSections: mesh.faceSections.map((_, f) => numbers.get(keyOf(f)) ?? 0) };
}

export function groupRuns({ names, of }: FaceGroups): GroupRuns {
  const runs: number[] = [];
  for (let f = 0; f < of.length; f++) {
    if (f > 0 && of[f] === of[f - 1]) runs[runs.length - 2]++;
    else runs.push(1, of[f]);
  }
  return { names, runs };
}

/** @param faces how many the mesh has @throws InvalidInputError BAD_OPTION for runs that do not cover them, or name no group */
export function groupsOfRuns({ names, runs }: GroupRuns, faces: number): FaceGroups {
  const of = new Uint16Array(faces);
  let at = 0;
  for (let i = 0; i < runs.length; i += 2) {
    if (!(runs[i + 1] < names.length)) throw new InvalidInputError('BAD_OPTION', `There is no group of number ${runs[i + 1]}.`);
    of.fill(runs[i + 1], at, at + runs[i]);
    at += runs[i];
  }
  if (at !== faces) throw new InvalidInputError('BAD_OPTION', `These groups are for ${at} faces, and the mesh has ${faces}.`);
  return { names, of };
}

/** Puts faces into a group; groups that are left without faces go. @param marked 1 for each face that moves */
export function regrouped({ names, of }: FaceGroups, marked: Uint8Array, name: string): FaceGroups {
  const all = names.includes(name) ? names : [...names, name];
  const into = all.indexOf(name);
  return compact({ names: all, of: of.map((g, f) => (marked[f] === 1 ? into : g)) });
}

/** Gives a group another name; where that name is taken, both become one. */
export function renamedGroup({ names, of }: FaceGroups, from: string, to: string): FaceGroups {
  const group = names.indexOf(from);
  if (group < 0) return { names, of };
  return regrouped({ names, of }, Uint8Array.from(of, (g) => Number(g === group)), to); // prettier-ignore
}

function compact({ names, of }: FaceGroups): FaceGroups {
  const used = names.map((_, g) => of.includes(g));
  const kept = names.filter((_, g) => used[g]);
  return { names: kept, of: of.map((g) => kept.indexOf(names[g])) };
}
