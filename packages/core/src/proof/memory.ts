import type { PolyMesh } from '../mesh/poly-mesh';
import { refinedFaceCount } from '../subdivision/refine';

/** What work takes at its height, measured on planes and bells from 60,000 to 6,000,000 faces and rounded up. Bytes. */
const FACE = {
  /** Refining a mesh and writing it out. */
  refined: 400,
  /** Reading a mesh, matching it with another, its search tree and normals. */
  sculpt: 700,
  /** Finding the base that a mesh was refined from, or the one that fits it best: its matrices. */
  fitted: 1000,
  /** A base that is displaced, and again by the field that its map was made from: three meshes with their places, areas and distances. */
  proven: 260,
} as const;
/** The same for a point of a sculpt, which has a quad or two triangles: measured on 1.6 to 16.8 million quads and 10 million triangles, 2K and 8K;
 *  what is told lies within an eighth of what they took on two to eight threads, and up to a third above it on one. */
const POINT = {
  /** Reading a sculpt, matching it with the light mesh, its search tree and normals. */
  measured: 450,
  /** A sculpt that is compared with: its places, areas and distances. */
  compared: 130,
  /** It or the base, whichever is larger, while its tree is built and searched; there is one at a time. */
  searched: 230,
} as const;
/** What the program itself takes. */
const BASE = 150e6;
/** What a pass by several threads takes besides: meshes that they are handed, and each thread's own program. */
const THREADS = { handed: 160e6, each: 40e6 } as const;
/** A file's bytes to the memory that reading and checking it takes. */
const READ = 8;

export const refiningBytes = (mesh: PolyMesh, levels: number): number => BASE + FACE.refined * refinedFaceCount(mesh, levels);

/** Giving a light mesh the detail of a free sculpt. @param faces of the finest level */
export const transferringBytes = (faces: number, sculptFaces: number): number => BASE + FACE.refined * faces + FACE.sculpt * sculptFaces;

/** Recovering or settling a base. @param faces of the finest level */
export const fittingBytes = (faces: number): number => BASE + FACE.fitted * faces;

/** Preparing a span and measuring one tile of it. @param sculptPoints each with a quad or two triangles
 *  @param texels of the tile @param texelBytes of all its maps together (`texelBytes`) */
export const measuringBytes = (sculptPoints: number, texels: number, texelBytes: number, threads: number): number =>
  BASE + (threads > 1 ? THREADS.handed + THREADS.each * (threads - 1) : 0) + POINT.measured * sculptPoints + texels * texelBytes;

/** Displacing a base and comparing it with the sculpt. @param baseFaces after refining @param sculptPoints each with a quad or two triangles
 *  @param texels whose maps are in memory together, and the fields that they were made from (`texelsHeld`) */
export const provingBytes = (baseFaces: number, sculptPoints: number, texels: number, channels: number): number =>
  BASE +
  FACE.proven * baseFaces +
  POINT.compared * sculptPoints +
  POINT.searched * Math.max(baseFaces, sculptPoints) +
  texels * (8 * channels + 1);

/** Reading meshes and finding out how they belong together: all of them are kept. @param fileBytes of all files */
export const readingBytes = (fileBytes: number): number => BASE + READ * fileBytes;
