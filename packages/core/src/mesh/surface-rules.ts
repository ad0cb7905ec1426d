/** How the surface ends at borders and corners. */
export type BoundaryRule = 'edge-and-corner' | 'edge-only';
/** How far UVs follow the surface: all linear, only corners fixed, borders linear, smooth everywhere. */
export type UvRule = 'linear' | 'corners' | 'boundaries' | 'smooth';

/** What a renderer has to be told about the surface; stands in every map's record. */
export interface SurfaceOptions {
  readonly boundary: BoundaryRule;
  readonly uv: UvRule;
}
export const SURFACE_DEFAULTS: SurfaceOptions = { boundary: 'edge-and-corner', uv: 'linear' };
