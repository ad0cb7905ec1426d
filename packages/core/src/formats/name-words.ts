import { withoutMeshEnding } from './mesh-file';

/** Words in a file's name that say which mesh of a part it is, in any order of upper and lower case. */
const LIGHT = ['low', 'lo', 'lp', 'light', 'base'];
const FINE = ['high', 'hi', 'hp', 'sculpt', 'dense', 'fine', 'detail'];
const LEVEL = /^(?:level|lev|lvl|sub|subdiv|subd|sd)$/;
const LEVEL_NUMBER = /^(?:level|lev|lvl|sub|subdiv|subd|sd|l)\d{1,2}$/;

export interface NameWords {
  /** What is left of the name; of its folder where nothing is. */
  readonly part: string;
  readonly says: 'light' | 'fine' | null;
}

/** What the name of a file says about the part that it belongs to. @param path with its folders, if it came in one */
export function nameWords(path: string): NameWords {
  const steps = path.split('/');
  const words = wordsOf(withoutMeshEnding(steps[steps.length - 1]));
  const roles = words.map((word) => (LIGHT.includes(word.toLowerCase()) ? 'light' : FINE.includes(word.toLowerCase()) ? 'fine' : null));
  const left = words.filter((_, i) => roles[i] === null && !isLevel(words, i));
  const folder = steps.slice(0, -1).reverse().map((step) => wordsOf(step).join(' ')).find((step) => step !== ''); // prettier-ignore
  return { part: left.join(' ') || (folder ?? words.join(' ')), says: roles.find((role) => role !== null) ?? null };
}

const wordsOf = (name: string): string[] => name.split(/[-_.\s]+/).filter((word) => word !== '');

/** `level3`, `level 3`, and both words of the latter. */
function isLevel(words: readonly string[], i: number): boolean {
  const number = (k: number): boolean => /^\d{1,2}$/.test(words.at(k) ?? '');
  const level = (k: number): boolean => k >= 0 && LEVEL.test(words[k].toLowerCase());
  return LEVEL_NUMBER.test(words[i].toLowerCase()) || (level(i) && number(i + 1)) || (number(i) && level(i - 1));
}
