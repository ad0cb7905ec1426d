/** Fills of groups, one after another: light enough for ink on them, neighbours in the list apart in lightness too. As `#rrggbb`. */
export const GROUP_FILLS = [
  '#c9d8df',
  '#e6d3a8',
  '#b9d2c4',
  '#e3bfb4',
  '#d6cbe0',
  '#f0e4c4',
  '#a9c3d4',
  '#cfdcb3',
  '#dcb896',
  '#c4b9ad',
] as const;
export const groupFill = (group: number): (typeof GROUP_FILLS)[number] => GROUP_FILLS[group % GROUP_FILLS.length];
