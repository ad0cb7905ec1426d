/** What no database keeps and no screen should get from a file: control characters, halves of surrogate pairs, and marks that turn the direction of
 *  what follows (Unicode Standard Annex 9), by which one name can look like another. */
const STRANGE = /[\p{Cc}\p{Cs}\p{Bidi_Control}]/u;
const EACH_STRANGE = new RegExp(STRANGE, 'gu');
const STRANGE_IN_LINES = /[^\P{Cc}\n]|\p{Cs}|\p{Bidi_Control}/gu;

export const hasStrange = (text: string): boolean => STRANGE.test(text);

/** A name as it is shown, kept and logged. @param instead of each strange character */
export const shownName = (name: string, instead = ''): string => name.replace(EACH_STRANGE, instead);

/** A message of one or several lines in which words of a file may stand. */
export const shownMessage = (message: string): string => message.replace(STRANGE_IN_LINES, '\ufffd');
