/** What the numbers of a map are: lengths and curvatures have a unit, the others none. */
export type Quantity = 'length' | 'curvature' | 'direction' | 'share' | 'colour';
/** Options of a pass that only some kinds heed. */
export type KindOption = 'frame' | 'forHeights' | 'rays' | 'distance' | 'seed' | 'radius' | 'colourSpace' | 'shade' | 'strength';

/** What is to be known of a kind of map wherever it is measured, stored, shown or set up. */
export interface MapKindTraits {
  readonly channels: 1 | 3;
  readonly quantity: Quantity;
  /** Whether values fall on both sides of zero. */
  readonly signed: boolean;
  /** What its values cannot leave; fitting texels keeps to it. */
  readonly bounds: readonly [lowest: number, highest: number];
  /** What a texel means where nothing is; `distance` is the record's own. */
  readonly rest: 0 | 1 | 'distance';
  /** The range where nobody asks for one: fitted around zero, from zero up to the largest, zero to one, or -1 to 1. */
  readonly range: 'symmetric' | 'full' | 'unit' | 'directions';
  /** Whether it moves the surface, and so can be proven against the sculpt as a surface. */
  readonly moves: boolean;
  /** Whether texels can be fitted to the filter all over; those of other kinds are matched along seams only. */
  readonly fittable: boolean;
  /** Whether colours can be darkened by it. */
  readonly shades: boolean;
  /** What measuring it takes: the sculpt's search tree even where parameters are equal, an answer of its own ray along the normal, the
   *  sculpt's point colours. */
  readonly needs: { readonly tree: boolean; readonly ray: boolean; readonly colours: boolean };
  readonly options: readonly KindOption[];
}

const NEEDS = { tree: false, ray: false, colours: false };
const ANY = [-Infinity, Infinity] as const;

/** Every kind of map, in the order in which they are offered. A new one is a line here and a file in `extract/kinds/`; what else names the
 *  kinds (words, letters, colours, rows of the set-up sheet) are records over `MapKind`, which the compiler finds. */
export const MAP_KINDS = {
  scalar: {
    channels: 1, quantity: 'length', signed: true, bounds: ANY, rest: 0, range: 'symmetric', moves: true, fittable: true, shades: false,
    needs: { ...NEEDS, tree: true, ray: true }, options: [],
  },
  vector: {
    channels: 3, quantity: 'length', signed: true, bounds: ANY, rest: 0, range: 'symmetric', moves: true, fittable: true, shades: false,
    needs: NEEDS, options: ['frame'],
  },
  normal: {
    channels: 3, quantity: 'direction', signed: true, bounds: [-1, 1], rest: 0, range: 'directions', moves: false, fittable: true, shades: false,
    needs: NEEDS, options: ['frame', 'forHeights'],
  },
  occlusion: {
    channels: 1, quantity: 'share', signed: false, bounds: [0, 1], rest: 1, range: 'unit', moves: false, fittable: false, shades: true,
    needs: { ...NEEDS, tree: true }, options: ['forHeights', 'rays', 'distance', 'seed'],
  },
  curvature: {
    channels: 1, quantity: 'curvature', signed: true, bounds: ANY, rest: 0, range: 'symmetric', moves: false, fittable: false, shades: false,
    needs: NEEDS, options: ['forHeights', 'radius'],
  },
  hollows: {
    channels: 1, quantity: 'share', signed: false, bounds: [0, Infinity], rest: 0, range: 'full', moves: false, fittable: false, shades: true,
    needs: NEEDS, options: ['forHeights', 'radius'],
  },
  thickness: {
    channels: 1, quantity: 'length', signed: false, bounds: [0, Infinity], rest: 'distance', range: 'full', moves: false, fittable: false, shades: false,
    needs: { ...NEEDS, tree: true }, options: ['forHeights', 'distance'],
  },
  colour: {
    channels: 3, quantity: 'colour', signed: false, bounds: [0, Infinity], rest: 0, range: 'unit', moves: false, fittable: false, shades: false,
    needs: { ...NEEDS, colours: true }, options: ['forHeights', 'colourSpace', 'shade', 'strength'],
  },
} as const satisfies Readonly<Record<string, MapKindTraits>>; // prettier-ignore

export type MapKind = keyof typeof MAP_KINDS;
type KindsWith<Trait extends keyof MapKindTraits, Value> = {
  [K in MapKind]: (typeof MAP_KINDS)[K] extends Readonly<Record<Trait, Value>> ? K : never;
}[MapKind];
/** Kinds that move the surface. */
export type MovingKind = KindsWith<'moves', true>;
/** Kinds that colours can be darkened by. */
export type ShadingKind = KindsWith<'shades', true>;

/** Kinds in the order in which they are offered. */
export const MAP_KIND_NAMES = Object.keys(MAP_KINDS) as [MapKind, ...MapKind[]];
export const MOVING_KINDS = MAP_KIND_NAMES.filter((kind): kind is MovingKind => MAP_KINDS[kind].moves);
export const SHADING_KINDS = MAP_KIND_NAMES.filter((kind): kind is ShadingKind => MAP_KINDS[kind].shades) as [
  ShadingKind,
  ...ShadingKind[],
];

/** @returns what is known of a kind; plain heights for a name from elsewhere */
export const traitsOf = (kind: string): MapKindTraits => (kind in MAP_KINDS ? MAP_KINDS[kind as MapKind] : MAP_KINDS.scalar);

/** Kinds that move the surface, and so can be proven against the sculpt as surfaces. */
export const displaces = (kind: string): kind is MovingKind => kind in MAP_KINDS && MAP_KINDS[kind as MapKind].moves;
export const isFittable = (kind: MapKind): boolean => MAP_KINDS[kind].fittable;
export const channelsOf = (kind: MapKind): 1 | 3 => MAP_KINDS[kind].channels;
/** Whether an option of a pass means something to a kind. */
export const heeds = (kind: MapKind, option: KindOption): boolean => (MAP_KINDS[kind].options as readonly KindOption[]).includes(option);

/** Unit vectors: they always run from -1 to 1, and have a green and a blue of their own. */
export const holdsDirections = (kind: string): boolean => traitsOf(kind).quantity === 'direction';
/** Displacements in three channels, which have an order and may have a range each. */
export const hasAxes = (kind: string): boolean => displaces(kind) && MAP_KINDS[kind].channels === 3;

/** Whether a kind tells how two surfaces differ, and so nothing of one alone. @param frame of normals: those in the object's are of one surface */
export const isDifference = (kind: MapKind, frame: 'mikk' | 'object'): boolean =>
  MAP_KINDS[kind].moves || (holdsDirections(kind) && frame !== 'object');

/** Whether a pass asks for a map that is the answer of a ray along the normal. */
export const asksRay = (kinds: readonly MapKind[]): boolean => kinds.some((kind) => MAP_KINDS[kind].needs.ray);

/** What a texel means where nothing is. @param record of the map; its distance is the rest of a thickness */
export function restValue(record: { readonly kind: string; readonly distance?: number | null }): number {
  const { rest } = traitsOf(record.kind);
  return rest === 'distance' ? (record.distance ?? 0) : rest;
}
