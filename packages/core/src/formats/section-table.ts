import type { Section } from '../mesh/poly-mesh';
import { InvalidInputError } from '../runtime/errors';

/** As many as the 16 bits of a face's section tell apart. */
const MOST_SECTIONS = 0xffff;

/** What a file's faces belong to, each combination once. */
export class SectionTable {
  readonly list: Section[] = [];
  private readonly numbers = new Map<string, number>();

  /** @throws InvalidInputError TOO_LARGE */
  numberOf(section: Section): number {
    const key = JSON.stringify([section.object, section.group, section.material, section.smoothing]);
    let i = this.numbers.get(key);
    if (i === undefined) {
      if (this.list.length >= MOST_SECTIONS)
        throw new InvalidInputError('TOO_LARGE', `the file has more than ${MOST_SECTIONS} groups; join some of them.`);
      i = this.list.push(section) - 1;
      this.numbers.set(key, i);
    }
    return i;
  }
}
