import { EXTRACT_DEFAULTS, MARGIN_DEFAULTS, MESH_FORMATS, SURFACE_DEFAULTS, UNWRAP_DEFAULTS } from '@estampe/core';

/** What a command says of itself. Each option stands once: name with what it takes, and what that means. */
export interface HelpPage {
  readonly does: string;
  readonly takes: string;
  readonly options: readonly (readonly [option: string, meaning: string])[];
  readonly example: string;
  /** A file of the documentation. */
  readonly docs: string;
}

const D = EXTRACT_DEFAULTS;
const RULES = [
  [
    '--boundary edge-and-corner|edge-only',
    `how borders are refined; by default what the mesh's file says, else ${SURFACE_DEFAULTS.boundary}`,
  ],
  ['--uv linear|corners|boundaries|smooth', `how UVs are refined; by default what the mesh's file says, else ${SURFACE_DEFAULTS.uv}`],
] as const;
const FORMAT = [
  `--format ${Object.entries(MESH_FORMATS)
    .flatMap(([id, { written }]) => (written ? [id] : []))
    .join('|')}`,
  'of the levels; by default obj',
] as const;
const COMMON = [
  ['--json REPORT.json', 'what was found, as JSON; by default none'],
  ['-j THREADS, --threads THREADS', 'that compute; by default one a processor'],
] as const;

export const HELP_PAGES = {
  check: {
    does: 'Says what is wrong with a mesh and its UVs.',
    takes: 'MESH',
    options: [
      ['--before EARLIER', 'also how far points and UVs have moved since'],
      ['--sculpt HIGH', 'also whether the two are one thing'],
      ['--size W', `texels a side that the gaps between islands are judged by; by default ${MARGIN_DEFAULTS.size}`],
      ['--padding PX', `texels that must lie between islands; by default ${MARGIN_DEFAULTS.gap}`],
    ],
    example: 'estampe check low.usda --sculpt high.ply --size 4096 --padding 16',
    docs: 'formats.md',
  },
  convert: {
    does: 'Writes a mesh in another format, by the ending of its name: obj ply stl glb gltf usda usdz; mends what it is asked to.',
    takes: 'IN -o OUT',
    options: [
      ['-o OUT, --out OUT', 'the mesh to write'],
      ['--uv-set NAME', 'which of several sets of UVs; by default the usual one'],
      ['--weld auto|D', 'points nearer than that become one; by default none'],
      ['--drop-pieces SHARE', 'pieces with fewer faces than that share of the largest go; by default all stay'],
      ['--turn-flipped', 'faces that are turned over against their neighbours are turned'],
      ['--shift-islands', 'islands that lie on others go to the tile beside'],
      ['--refine-once', 'refined once, so that only quads are left'],
    ],
    example: 'estampe convert kit.glb --uv-set TEXCOORD_1 --weld auto -o kit.obj',
    docs: 'formats.md',
  },
  subdivide: {
    does: 'Refines a mesh as a renderer does (Catmull and Clark).',
    takes: 'BASE -o OUT --levels N',
    options: [
      ['-o OUT, --out OUT', 'the mesh to write'],
      ['--levels N', 'how often, 0 to 12'],
      ['--limit', 'points go to where endless refinement leads'],
      ...RULES,
    ],
    example: 'estampe subdivide low.obj --levels 3 --limit -o fine.obj',
    docs: 'levels.md',
  },
  transfer: {
    does: 'Gives a light mesh the detail of a free sculpt, as levels.',
    takes: 'LOW SCULPT -o DIR',
    options: [
      ['-o DIR, --out DIR', 'folder of the levels; it is made'],
      ['--levels N', "how many; by default as near to the sculpt's faces as it comes"],
      ['--reach auto|R', 'how far to look, in units of the mesh; by default auto, found from both'],
      FORMAT,
      ...RULES,
    ],
    example: 'estampe transfer low.obj sculpt.ply -o stack --levels 3 --format ply',
    docs: 'levels.md',
  },
  recover: {
    does: 'Finds the levels below a dense mesh that was once refined.',
    takes: 'DENSE -o DIR',
    options: [
      ['-o DIR, --out DIR', 'folder of the levels; it is made'],
      ['--levels N', 'how many at most; by default all that there are'],
      FORMAT,
      ...RULES,
    ],
    example: 'estampe recover dense.obj -o coarse',
    docs: 'levels.md',
  },
  settle: {
    does: 'Moves a base so that refining it comes as near to its top level as it can.',
    takes: 'BASE TOP -o OUT',
    options: [['-o OUT, --out OUT', 'the mesh to write'], ...RULES],
    example: 'estampe settle stack/level-0.ply stack/level-5.ply -o low.obj',
    docs: 'levels.md',
  },
  unwrap: {
    does: 'Gives a light mesh UVs; polygons stay whole, points and faces keep their order.',
    takes: 'MESH -o OUT',
    options: [
      ['-o OUT, --out OUT', 'the mesh to write'],
      [
        '--seams groups|auto|SEAMS.json',
        'where to cut; by default auto. SEAMS.json: { "edges": [[point, point], ...] }, points counted from 0',
      ],
      ['--size W', `texels a side that margins are given for; by default ${UNWRAP_DEFAULTS.size}`],
      ['--margin PX', `texels between islands; by default ${UNWRAP_DEFAULTS.margin}`],
      ['--tiles N', `to divide the islands among; by default ${UNWRAP_DEFAULTS.tiles}`],
      ['--weights GROUP=W,...', 'how many times as many texels a length a group gets; by default 1 each'],
      ['--layout PNG', 'a picture of the islands for painters; by default none'],
    ],
    example: 'estampe unwrap kit.usda -o kit-uv.usda --seams groups --tiles 3 --layout "kit-<UDIM>.png"',
    docs: 'unwrapping.md',
  },
  extract: {
    does: 'Measures a field: what a map has to hold, not yet encoded.',
    takes: '--low LOW --sculpt HIGH --map scalar|vector|normal|occlusion|hollows|curvature|thickness|colour -o FIELD.exr',
    options: [
      ['--low LOW', 'light mesh with UVs'],
      ['--sculpt HIGH', 'sculpt, or a finer level of the light mesh'],
      ['--map KIND', 'what to measure'],
      ['-o FIELD.exr, --out FIELD.exr', 'the field; <UDIM> in its name stands for the tile'],
      ['--size W|WxH', `texels; by default ${D.width}`],
      ['--base limit|polygons|level:K', `what the light mesh is refined to before it is displaced; by default ${D.base}`],
      ['--match auto|stack|rays|closest', `how places are found on the sculpt; by default ${D.match}`],
      ['--reach auto|R', `how far rays look, in units of the mesh; by default ${D.reach}`],
      ['--samples N', `N x N a texel; by default ${D.samples}`],
      ['--padding PX|fill', `texels beyond the islands; by default ${D.padding}`],
      ['--tile 1001|all', 'which UV tiles; by default all'],
      ['--match-seams, --no-match-seams', "both sides of an island's border read alike; by default they do"],
      ['--fit-texels', 'scalar, vector, normal: all texels are fitted to the filter'],
      ['--frame derivative|mikk|object', `vector: by default ${D.vectorFrame}; normal (mikk or object): by default ${D.frame}`],
      ['--rays N', `occlusion: rays a sample; by default ${D.occlusionRays}`],
      ['--share-rays yes|no', 'occlusion: whether neighbours share their rays; by default yes'],
      [
        '--distance D',
        'occlusion: how far things block, by default any distance; thickness: how far it looks, by default a tenth of the sculpt',
      ],
      ['--seed N', `occlusion: of its random numbers; by default ${D.seed}`],
      ['--radius auto|R', 'hollows, curvature: of the ball that they are averaged over; by default auto, a hundredth of the sculpt'],
      ['--colour-space sRGB|linear', 'colour: what the point colours are written in; by default sRGB'],
      ['--shade occlusion|hollows', 'colour: what darkens it; by default nothing'],
      ['--strength S', 'colour: how strongly, 0 to 1; by default 0.5'],
      [
        '--for-heights',
        'all but scalar and vector: read where a height map puts the surface (normals stay in the frame of the mesh before it is displaced: shading with the displaced normal counts the form twice)',
      ],
      ...RULES,
    ],
    example: 'estampe extract --low low.obj --sculpt high.obj --map vector --size 4096 -o vectors.exr',
    docs: 'command-line.md',
  },
  encode: {
    does: 'Writes a field as a map: chooses or takes bit depth, midpoint and scale, and says what they cost.',
    takes: 'FIELD.exr -o OUT.(exr|tif|png)',
    options: [
      ['-o OUT, --out OUT', 'the map; its ending says the file type'],
      ['--depth 8|16|half|float', 'by default 16 in TIFF and PNG, float in EXR'],
      ['--fit measured|symmetric|full|clip:SHARE[,rounded]', 'how midpoint and scale are found; by default what suits the kind'],
      ['--midpoint M|exact', 'wins over the fit'],
      ['--scale S', 'wins over the fit; in units of the mesh'],
      ['--axes ORDER', 'vector: channels with signed letters, such as "R=+U G=+N B=-V"; by default in their order'],
      ['--ranges shared|each', 'vector: one range or one a channel; by default shared'],
      ['--green up|down', 'normal: by default up'],
      ['--keep-blue yes|no', 'normal: by default yes'],
    ],
    example: 'estampe encode vectors.exr -o vectors.tif --depth 16 --axes "R=+U G=+N B=+V"',
    docs: 'command-line.md',
  },
  proof: {
    does: 'Displaces the light mesh with a written map and measures how far it is from the sculpt.',
    takes: '--low LOW --map FILE --sculpt HIGH',
    options: [
      ['--low LOW', 'light mesh with UVs'],
      ['--map FILE', 'written map, or a field; <UDIM> in its name stands for the tile'],
      ['--sculpt HIGH', 'what it should become'],
      ['--kind scalar|vector|normal', 'by default what the file says'],
      ['--subdivisions R', 'render subdivisions, 0 to 10; by default as many as lie between the two, else 4'],
      [
        '--tolerance T|T%',
        "largest 99th percentile, in units of the mesh or of its diagonal (a normal map's in degrees); exit code 1 beyond",
      ],
      ['--midpoint M|exact', 'by default what the file says'],
      ['--scale S', 'by default what the file says'],
      ['--axes ORDER', 'by default what the file says'],
      ['--base limit|polygons|level:K', 'by default what the file says'],
      ['--frame derivative|mikk|object', 'by default what the file says'],
      ['--green up|down', 'by default what the file says'],
      ['--keep-blue yes|no', 'by default what the file says'],
      ['--filter bilinear|nearest', 'between texels; by default what the file says'],
      ['--field FIELD.exr', 'divides the error into what measuring and what encoding cost'],
      ...RULES,
    ],
    example: 'estampe proof --low low.obj --map map.tif --sculpt high.obj --field field.exr --tolerance 0.1%',
    docs: 'command-line.md',
  },
  deliver: {
    does: 'Measures, writes and proves all maps of a recipe; makes a versioned folder with manifest and set-up sheet, and a zip of it.',
    takes: 'RECIPE.json -o DIR',
    options: [['-o DIR, --out DIR', 'where the folder is made; a version that is there is never overwritten']],
    example: 'estampe deliver bell.json -o deliveries',
    docs: 'command-line.md',
  },
} as const satisfies Readonly<Record<string, HelpPage>>;
export type CommandName = keyof typeof HELP_PAGES;
export const isCommand = (name: string): name is CommandName => Object.hasOwn(HELP_PAGES, name);

const WIDTH = 110;

/** The page of one command. */
export function helpOf(command: CommandName): string {
  const { does, takes, options, example, docs }: HelpPage = HELP_PAGES[command];
  const lines = [...options, ...COMMON].flatMap(([option, meaning]) => [`  ${option}`, ...wrapped(meaning, 6)]);
  return `estampe ${command} ${takes}\n\n${wrapped(does, 0).join('\n')}\n\nOptions:\n${lines.join('\n')}\n\nExample:\n  ${example}\n\nMore: docs/${docs}\n`;
}

/** What `estampe help` prints. */
export const HELP = `estampe: displacement maps from a sculpt, measured and proven

${Object.entries(HELP_PAGES)
  .map(([name, { takes, does }]) => [`  estampe ${name} ${takes}`, ...wrapped(does, 6)].join('\n'))
  .join('\n')}

  estampe COMMAND --help   its options, their defaults, and an example
  Every command: [--json REPORT.json] [-j THREADS]
  Several UV tiles: write <UDIM> where the tile number goes in a file name.
  Exit codes: 0 done, 1 tolerance not met, 2 bad input, options or place to write to, 3 internal error, 130 cancelled.
  More: docs/command-line.md
`;

function wrapped(text: string, indent: number): string[] {
  const lines: string[] = [];
  for (const word of text.split(' ')) {
    const last = lines.length - 1;
    if (last >= 0 && lines[last].length + 1 + word.length <= WIDTH) lines[last] += ` ${word}`;
    else lines.push(' '.repeat(indent) + word);
  }
  return lines;
}
