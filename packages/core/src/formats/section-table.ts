import type { Section } from '../mesh/poly-mesh';
import { InvalidInputError } from '../runtime/errors';
import { shownName } from '../runtime/shown-text';

/** Characters of a name that are kept. */
const LONGEST_NAME = 200;

/** As many as the 16 bits of a face's section tell apart. */
const MOST_SECTIONS = 0xffff;

/** What a file's faces belong to, each combination once. */
export class SectionTable {
  readonly list: Section[] = [];
  private readonly numbers = new Map<string, number>();

  /** @param named as a file names it: what no screen should get is left out of the names, and what is beyond a name's length
   *  @throws InvalidInputError TOO_LARGE */
  numberOf(named: Section): number {
    const section = { ...named, object: plain(named.object), group: plain(named.group), material: plain(named.material), smoothing: plain(named.smoothing) }; // prettier-ignore
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

const plain = (name: string): string => shownName(name.slice(0, LONGEST_NAME)).trim();
