/** A name that nobody has yet: itself, else with the first number from 2 on that is free. */
export function unusedName(name: string, taken: ReadonlySet<string>): string {
  for (let n = 1; ; n++) {
    const next = n === 1 ? name : `${name} ${n}`;
    if (!taken.has(next)) return next;
  }
}
