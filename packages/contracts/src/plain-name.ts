/** A name in lower case letters, digits and hyphens: safe in any folder and on any system. */
export const plainName = (name: string): string =>
  name
    .normalize('NFKD')
    .replace(/\p{Mark}/gu, '')
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-+|-+$/g, '')
    .slice(0, 60) || 'asset';
