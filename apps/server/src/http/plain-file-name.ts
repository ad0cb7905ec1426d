/** A file name without folders, characters that no system keeps, or leading dots. */
export const plainFileName = (name: string): string =>
  (name.split(/[\\/]/).pop() ?? '')
    .replace(/[\p{Cc}\p{Cs}<>:"|?*]/gu, '_')
    .replace(/^\.+/, '')
    .slice(0, 120) || 'unnamed.obj';
