import { shownName } from '@estampe/core';

/** A file name without folders, characters that no system keeps, or leading dots. */
export const plainFileName = (name: string): string =>
  shownName(name.split(/[\\/]/).pop() ?? '', '_')
    .replace(/[<>:"|?*]/gu, '_')
    .replace(/^\.+/, '')
    .slice(0, 120) || 'unnamed.obj';
