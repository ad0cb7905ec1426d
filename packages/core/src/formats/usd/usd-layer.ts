/** Numbers of an array or a tuple, one after another. */
export interface UsdNumbers {
  readonly numbers: Float64Array;
  /** Of each tuple; 1 for plain numbers. */
  readonly width: number;
}
export type UsdValue = null | number | boolean | string | UsdNumbers | readonly string[] | UsdDictionary;
export interface UsdDictionary {
  readonly entries: ReadonlyMap<string, UsdValue>;
}

export interface UsdProperty {
  readonly type: string;
  /** Of the first time sample, where there is no value of its own. */
  readonly value: UsdValue;
  readonly meta: ReadonlyMap<string, UsdValue>;
  readonly sampled: boolean;
}

export interface UsdPrim {
  readonly specifier: 'def' | 'over' | 'class';
  readonly type: string;
  readonly name: string;
  readonly meta: ReadonlyMap<string, UsdValue>;
  readonly properties: ReadonlyMap<string, UsdProperty>;
  readonly children: readonly UsdPrim[];
}

/** One layer of USD: a tree of prims, not yet composed with what it refers to. */
export interface UsdLayer {
  readonly meta: ReadonlyMap<string, UsdValue>;
  readonly prims: readonly UsdPrim[];
  /** Parts of the layer that were passed over. */
  readonly passedOver: readonly string[];
}

export const isNumbers = (value: UsdValue | undefined): value is UsdNumbers =>
  typeof value === 'object' && value !== null && 'numbers' in value;
export const isStrings = (value: UsdValue | undefined): value is readonly string[] => Array.isArray(value);
