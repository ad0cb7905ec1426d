/** `a, b and c`. */
export const inWords = (words: readonly string[]): string => words.join(', ').replace(/, ([^,]*)$/, ' and $1');
