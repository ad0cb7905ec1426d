import type { DeliveredMap, Manifest } from '@estampe/contracts';
import { hasAxes, holdsDirections, MAP_KIND_NAMES, MOVING_KINDS } from '@estampe/core';

/** Small pictures of a sheet as PNG bytes: the sculpt, and each map in the manifest's order (null where there is none). */
export interface SheetPictures {
  readonly sculpt: Uint8Array | null;
  readonly maps: readonly { readonly map: Uint8Array | null; readonly proof: Uint8Array | null }[];
}

type Row = readonly [setting: string, value: string, why: string];

/** The set-up sheet: one printable page of HTML without scripts or outside files, that says in plain words what to set in a renderer.
 *  Every number of the manifest that a person needs is on it. */
export function setUpSheet(m: Manifest, pictures: SheetPictures): string {
  const title = `${m.asset}, delivery ${m.version}`;
  return `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<title>Set-up sheet: ${esc(title)}</title>
<style>${STYLE}</style>
</head>
<body>
<header>
<div>
<h1>${esc(title)}</h1>
<p>Set-up sheet, written ${esc(m.createdAt.slice(0, 10))}. All lengths in ${esc(unitName(m.unit))}. The same numbers for programs: <code>manifest.json</code>.</p>
</div>
${figure(pictures.sculpt, 'the sculpt, to compare with')}
</header>
<section>
<h2>The mesh</h2>
${table(meshRows(m))}
</section>
${m.maps.map((map, i) => mapSection(m, map, i, pictures.maps[i] ?? { map: null, proof: null })).join('\n')}
<section>
<h2>If it looks wrong</h2>
<table class="wrong"><tbody>
${SYMPTOMS.filter((s) => m.maps.some((map) => s.kinds.includes(map.kind)))
  .map((s) => `<tr><th>${esc(s.sign)}</th><td>${esc(s.check)}</td></tr>`)
  .join('\n')}
</tbody></table>
</section>
</body>
</html>
`;
}

function meshRows(m: Manifest): Row[] {
  const { low, sculpt, subdivision: s } = m;
  return [
    ['File', low.file, `${count(low.points)} points, ${count(low.faces)} faces, level ${low.level}. Load it as it is: same point order, no triangulating, no regrouping.`],
    ['Subdivision', 'Catmull-Clark', `${s.steps} steps at render time, as proven; more only cost memory.`],
    ['Borders', s.boundary === 'edge-only' ? 'edges sharp, corners round' : 'edges and corners sharp', `the rule is called ${s.boundary}`],
    ['UVs', s.uv === 'linear' ? 'linear, not smoothed' : s.uv, 'smooth them by exactly this rule: a difference makes the map slide on the surface.'],
    ['UV tiles', low.tiles.join(' '), low.tiles.length > 1 ? 'one file a tile; the number stands before the ending' : 'everything lies in the first unit square'],
    ['Mesh hash', low.meshHash.slice(0, 16), 'of points, polygons and UVs; the maps fit no other mesh'],
    ['Sculpt', `${count(sculpt.faces)} faces`, `${sculpt.level === null ? 'its own topology' : `level ${sculpt.level}`}, diagonal ${num(sculpt.diagonal)} ${m.unit}${sculpt.file ? `, in ${sculpt.file.file}` : ''}`],
  ]; // prettier-ignore
}

function mapSection(m: Manifest, map: DeliveredMap, i: number, picture: SheetPictures['maps'][number]): string {
  return `<section class="map">
<h2>${i + 1}. ${esc(KINDS[map.kind].title(map))}</h2>
<div class="pictures">${figure(picture.map, 'the file, levelled')}${figure(picture.proof, 'the light mesh, displaced by it')}</div>
${table(KINDS[map.kind].rows(m, map))}
<h3>Proof of the written file</h3>
${proofTable(m, map)}
</section>`;
}

const SPACES = { 'along-normal': '', derivative: 'tangent space', mikk: 'tangent space', object: 'object space', none: '' } as const;

/** What the sheet says of each kind of map. */
interface KindOnSheet {
  readonly title: (map: DeliveredMap) => string;
  readonly rows: (m: Manifest, map: DeliveredMap) => Row[];
}
const KINDS: Readonly<Record<DeliveredMap['kind'], KindOnSheet>> = {
  scalar: { title: () => 'Displacement along the normal', rows: scalarRows },
  vector: { title: ({ space }) => `Vector displacement, ${SPACES[space]}`, rows: vectorRows },
  normal: { title: ({ space }) => `Normal map, ${SPACES[space]}`, rows: (_, map) => normalRows(map) },
  occlusion: {
    title: () => 'Occlusion: how open the surface is',
    rows: valueRows(({ unit }, { distance, rays, seed }) => ['openness', `1 in the open, 0 where all is blocked${distance === null ? '' : ` within ${num(distance)} ${unit}`}; ${rays ?? 0} rays a sample, seed ${seed ?? 0}`]),
  },
  curvature: {
    title: () => 'Curvature',
    rows: valueRows(({ unit }, { radius }) => ['mean curvature', `one over ${unit}, positive where the surface bulges; averaged over a ball of radius ${num(radius ?? 0)} ${unit}`]),
  },
  hollows: {
    title: () => 'Hollows',
    rows: valueRows(({ unit }, { radius }) => ['hollows', `0 where flat or bulging, 1 for a hollow as round as the ball of ${num(radius ?? 0)} ${unit}`]),
  },
  thickness: {
    title: () => 'Thickness',
    rows: valueRows(({ unit }, { distance }) => ['thickness', `how far it is through the sculpt against its normal, in ${unit}; what is thicker than ${num(distance ?? 0)} ${unit} counts as that`]),
  },
  colour: {
    title: () => 'Colour of the sculpt',
    rows: valueRows((_, { colourSpace, shade, strength }) => ['colour', `as it is stored at the sculpt's points, ${colourSpace ?? 'unknown'} values${shade === null ? '' : `, darkened by ${shade} with strength ${strength ?? 0}`}`]),
  },
}; // prettier-ignore

function commonRows(map: DeliveredMap): Row[] {
  const files = map.files.map((f) => f.file);
  return [
    [files.length > 1 ? 'Files' : 'File', files.join('\n'), `${map.size[0]} x ${map.size[1]}, ${DEPTHS[map.depth]}, channels ${map.channels}`],
    ['Colour', 'raw data', 'no colour conversion, no gamma: the numbers are not a picture'],
    ['Filter', map.filter, 'no blur, no mip levels for displacement: they mix texels across island edges'],
    ['Padding', map.padding === 'fill' ? 'whole tile' : `${map.padding} texels`, `${map.seamsMatched ? 'seams matched' : 'seams as measured'}; ${map.texelsFitted ? 'texels fitted to the bilinear filter' : 'texels hold the value at their centre'}`],
  ]; // prettier-ignore
}

function scalarRows(m: Manifest, map: DeliveredMap): Row[] {
  const { unit } = m;
  return [
    ...commonRows(map),
    ['Displacement', 'height, along the normal', baseWords(map.base, map.base === 'limit' ? 'displace along the smooth normal' : 'displace along the interpolated normal')],
    ['Midpoint', midpointText(map), 'the stored value (0 to 1 for integer files) that means: do not move'],
    ['Scale', `${nums(map.scale)} ${unit}`, `what one whole unit of stored value moves. Height = ${nums(map.scale)} x (stored - midpoint)`],
    ...reachRows(m, map),
  ]; // prettier-ignore
}

function vectorRows(m: Manifest, map: DeliveredMap): Row[] {
  const three = typeof map.scale !== 'number';
  return [
    ...commonRows(map),
    ['Displacement', 'vector, in three channels', baseWords(map.base, 'move each point by its vector')],
    ['Space', map.space === 'object' ? 'object space' : 'tangent space', frameWords(map)],
    ['Axis order', map.axes ?? '', axisWords(map.axes ?? '')],
    ['Midpoint', midpointText(map), `the stored value${three ? 's of R, G and B' : ' of every channel'} that mean${three ? '' : 's'}: do not move`],
    ['Scale', `${nums(map.scale)} ${m.unit}`, `what one whole unit of stored value moves${three ? ', for R, G and B' : ', the same for all three'}. Component = scale x (stored - midpoint)`],
    ...reachRows(m, map),
  ]; // prettier-ignore
}

const frameWords = ({ space, frameLevel }: DeliveredMap): string =>
  space === 'object'
    ? 'X, Y and Z of the mesh as it stands in its file: it must not be turned or bent before it is displaced'
    : space === 'mikk'
      ? 'U and V: tangent and bitangent by MikkTSpace of the written light mesh, interpolated, not normalised; N: its interpolated normal'
      : `N: the base's unit normal. U: the direction in which u grows on the surface at ${frameLevel ?? 0} subdivisions, made perpendicular to N, unit. V: N x U, reversed where the UVs are mirrored`;

const COMPONENTS: Readonly<Record<string, string>> = {
  U: 'along U',
  V: 'along V',
  N: 'along the normal',
  X: 'along X',
  Y: 'along Y',
  Z: 'along Z',
};
const axisWords = (axes: string): string =>
  axes
    .split(' ')
    .map((part) => {
      const [channel, source] = part.split('=');
      const name = { R: 'red', G: 'green', B: 'blue' }[channel] ?? channel;
      return `${name} ${source.startsWith('-') ? 'against' : 'along'}${(COMPONENTS[source.slice(1)] ?? source).replace(/^along/, '')}`;
    })
    .join(', ');

/** Rows of a map of values on the surface. @param meaning what a value is, and how to read it */
function valueRows(meaning: (m: Manifest, map: DeliveredMap) => readonly [string, string]): KindOnSheet['rows'] {
  return (m, map) => [
    ...commonRows(map).map((row): Row => (row[0] === 'Colour' && map.colourSpace !== null ? ['Colour', map.colourSpace, 'the values are colours in this space'] : row)),
    ['Meaning', ...meaning(m, map)],
    ['Range', `midpoint ${nums(map.midpoint)}, scale ${nums(map.scale)}`, `value = ${nums(map.scale)} x (stored - ${nums(map.midpoint)})`],
    ['Read', map.normalSource === 'hit' ? 'where the height map puts the surface' : map.normalSource === 'closest' ? 'at the nearest points of the sculpt' : 'at the same parameters of the sculpt', ''],
    ['Clipped, missed', `${share(map.clippedShare)}, ${share(map.missedShare)}`, 'of the texels cut off by the range; of the texels that found no sculpt'],
    ...tileRows(map),
  ]; // prettier-ignore
}

/** A tile's own shares, where there are several and any of them has something cut off or missed. */
function tileRows({ files }: DeliveredMap): Row[] {
  const marked = files.filter((f) => (f.clippedShare ?? 0) > 0 || (f.missedShare ?? 0) > 0);
  if (files.length < 2 || marked.length === 0) return [];
  return [['By tile', marked.map((f) => `${f.tile}: ${share(f.clippedShare ?? 0)}, ${share(f.missedShare ?? 0)}`).join('\n'), 'clipped and missed; the other tiles have none']]; // prettier-ignore
}

function reachRows({ unit }: Manifest, map: DeliveredMap): Row[] {
  return [
    ['Bound', `${num(map.bound ?? 0)} ${unit}`, 'largest displacement in the files: set the displacement bound to this, or a little more'],
    ['Step', `${num(map.step)} ${unit}`, `smallest difference that the file can hold${map.restError > 0 ? `; flat areas move by ${num(map.restError)} ${unit}` : '; flat areas stay exactly where they are'}`],
    ['Clipped, missed', `${share(map.clippedShare)}, ${share(map.missedShare)}`, `of the texels cut off by the range; of the texels that found no sculpt within ${num(map.reach)} ${unit}`],
    ...tileRows(map),
  ]; // prettier-ignore
}

const FOR_HEIGHTS =
  'read where the height map puts the surface, written in the frame of the light mesh before it is displaced: for renderers that shade there. Where the displaced normal is used for shading it counts the form twice and looks too strong';

function normalRows(map: DeliveredMap): Row[] {
  const tangent = map.space === 'mikk';
  return [
    ...commonRows(map),
    ['Space', tangent ? 'tangent space, MikkTSpace' : 'object space', tangent ? 'tangents of the written light mesh by the open standard, interpolated, not normalised; quads split along their shorter diagonal' : 'directions as in the file: it must not be turned or bent'],
    ['Axis order', map.axes ?? '', tangent ? 'red along U, green along V, blue the normal' : 'red X, green Y, blue Z'],
    ['Green', map.green ?? '', map.green === 'down' ? 'green grows against V: flip it where the renderer expects the other way' : 'green grows with V'],
    ['Blue', map.keepBlue === false ? 'rebuilt' : 'stored', map.keepBlue === false ? 'blue is a full channel: rebuild it as the square root of 1 - red squared - green squared' : 'all three channels are read'],
    ['Range', `midpoint ${nums(map.midpoint)}, scale ${nums(map.scale)}`, `direction = ${nums(map.scale)} x (stored - ${nums(map.midpoint)}), then normalised`],
    ['Made', map.normalSource === 'hit' ? 'for use with the height map' : map.normalSource === 'closest' ? 'from the nearest points' : 'for the light mesh alone', map.normalSource === 'hit' ? FOR_HEIGHTS : ''],
  ]; // prettier-ignore
}

const angleRow = (name: string, a: { readonly mean: number; readonly p95: number; readonly max: number }): string =>
  `<tr><th>${name}</th><td>${num(a.mean)}°</td><td>${num(a.p95)}°</td><td>${num(a.max)}°</td></tr>`;

function proofTable(m: Manifest, map: DeliveredMap): string {
  if (map.proof.kind === 'normal') {
    const { normalAngle: a, bareAngle: b, unmatchedShare: unmatched, tolerance, passed } = map.proof.report;
    if (a === null || b === null) return '<p>No place of the sculpt could be compared with the map, so there is no verdict.</p>';
    return `<table class="figures"><thead><tr><th>angle to the sculpt</th><th>mean</th><th>95 %</th><th>largest</th></tr></thead><tbody>
${angleRow('with the map', a)}${angleRow('without', b)}</tbody></table>
${unmatched > 0 ? `<p>${share(unmatched)} of the area had no normal of the sculpt to compare with.</p>` : ''}
${verdict(passed, tolerance === null ? '' : `tolerance ${num(tolerance)} degrees at the 95th percentile`)}`;
  }
  if (map.proof.kind === 'values') {
    const { difference: d, covered } = map.proof.report;
    return `<p>Read back and compared with the measured values at ${count(covered)} texels${d === null ? '.' : `: off by ${num(d.rms)} RMS, ${num(d.max)} at most.`}</p>`;
  }
  const { report: r } = map.proof;
  const row = (name: string, d: { mean: number; rms: number; p99: number; max: number }): string =>
    `<tr><th>${name}</th><td>${num(d.mean)}</td><td>${num(d.rms)}</td><td>${num(d.p99)}</td><td>${num(d.max)}</td></tr>`;
  return `<table class="figures"><thead><tr><th>distance to the sculpt (${esc(m.unit)})</th><th>mean</th><th>RMS</th><th>99 %</th><th>largest</th></tr></thead><tbody>
${row('displaced by the file', r.distance)}${r.unencoded ? row('before rounding', r.unencoded) : ''}${row('not displaced', r.undisplaced)}</tbody></table>
<p>${r.undisplaced.rms > 0 ? `The file leaves ${share(r.distance.rms / r.undisplaced.rms)} of the undisplaced distance. ` : ''}At ${r.subdivisions} subdivisions. Seam gap at most ${num(r.seamGap.max)} ${esc(m.unit)}; folded ${share(r.foldShare)}${r.reachedShare === null ? '' : `; ${share(r.reachedShare)} of the sculpt reached`}; normals off by ${num(r.normalAngle.mean)}° on average, ${num(r.normalAngle.p95)}° at the 95th percentile.</p>
${verdict(r.passed, r.tolerance === null ? '' : `tolerance ${num(r.tolerance)} ${m.unit} at the 99th percentile`)}`;
}

const verdict = (passed: boolean | null, words: string): string =>
  passed === null
    ? '<p>No tolerance was given, so there is no verdict.</p>'
    : `<p class="verdict ${passed ? '' : 'hold'}">${passed ? 'Good to pull' : 'Hold'}<small>${esc(words)}</small></p>`;

const SYMPTOMS: readonly { readonly kinds: readonly string[]; readonly sign: string; readonly check: string }[] = [
  {
    kinds: MOVING_KINDS,
    sign: 'Nothing moves',
    check: 'Displacement is switched on, the mesh has its UVs, and the bound is not 0.',
  },
  {
    kinds: MOVING_KINDS,
    sign: 'Right shape, everywhere too high or too low',
    check: 'The midpoint above is set, and the file is read as raw data.',
  },
  {
    kinds: MOVING_KINDS,
    sign: 'Right places, too strong or too weak',
    check: 'The scale above is set, and the scene has the same unit.',
  },
  {
    kinds: MAP_KIND_NAMES,
    sign: 'Upside down, or islands swapped',
    check: 'V runs upwards from the lower left corner of the image.',
  },
  {
    kinds: MOVING_KINDS,
    sign: 'Cracks or lines along seams',
    check: 'UVs are subdivided by the rule above, and no filter blurs the map.',
  },
  { kinds: MOVING_KINDS, sign: 'Grit or ripples', check: 'The subdivision scheme, its steps and the border rule are those above.' },
  {
    kinds: MOVING_KINDS.filter(hasAxes),
    sign: 'The surface bursts, or details lean the wrong way',
    check: 'Space and axis order are those above, each channel with its sign, and the file has three channels of the same midpoint.',
  },
  {
    kinds: MAP_KIND_NAMES.filter(holdsDirections),
    sign: 'Light seems to come from below',
    check: 'Green is read the way it is written above.',
  },
  {
    kinds: MAP_KIND_NAMES.filter(holdsDirections),
    sign: 'Diagonals or facets show',
    check: 'Tangents are made by MikkTSpace on this very mesh, with the same split of the quads.',
  },
];

const DEPTHS = { 8: '8 bit integer', 16: '16 bit integer', half: '16 bit half float', float: '32 bit float' } as const;
/** @param then what is done to the points of the base */
const baseWords = (base: string, then: string): string =>
  base === 'limit'
    ? `from the smooth limit surface: subdivide, then ${then}`
    : base === 'polygons'
      ? `from the flat polygons: split without smoothing, then ${then}`
      : `from the polygons of subdivision ${base.slice(6)}: subdivide so often, split further without smoothing, then ${then}`;
const unitName = (unit: string): string =>
  ({ mm: 'millimetres', cm: 'centimetres', m: 'metres', in: 'inches', unit: 'scene units' })[unit] ?? unit;

function midpointText({ depth, midpoint }: DeliveredMap): string {
  const top = depth === '8' ? 255 : depth === '16' ? 65535 : 0;
  const text = (m: number): string => {
    const code = m * top;
    return top > 0 && Math.abs(code - Math.round(code)) < 1e-6 ? `${num(m, 9)} (code ${Math.round(code)} of ${top})` : num(m, 9);
  };
  return [midpoint].flat().map(text).join('\n');
}

/** Figures a person can type: seven digits are enough for a 32 bit float. */
const num = (x: number, digits = 7): string => (x === 0 ? '0' : String(Number(x.toPrecision(digits))));
/** One number, or one a channel. */
const nums = (x: number | readonly number[]): string =>
  [x]
    .flat()
    .map((v) => num(v))
    .join(', ');
const share = (x: number): string => (x === 0 ? '0 %' : x < 0.0001 ? 'under 0.01 %' : `${Number((100 * x).toPrecision(3))} %`);
const count = (n: number): string => String(n).replace(/\B(?=(\d{3})+$)/g, ' ');
const esc = (s: string): string => s.replace(/[&<>"']/g, (c) => `&#${c.charCodeAt(0)};`);

const table = (rows: readonly Row[]): string =>
  `<table class="rows"><tbody>${rows.map(([k, v, why]) => `<tr><th>${esc(k)}</th><td class="value">${esc(v).replaceAll('\n', '<br>')}</td><td>${esc(why)}</td></tr>`).join('\n')}</tbody></table>`;

const figure = (png: Uint8Array | null, words: string): string =>
  png === null
    ? ''
    : `<figure><img alt="${esc(words)}" src="data:image/png;base64,${Buffer.from(png).toString('base64')}"><figcaption>${esc(words)}</figcaption></figure>`;

const STYLE = `
body { font: 14px/20px "Source Sans 3", "Helvetica Neue", Arial, sans-serif; color: #23211D; background: #FBF8F2; max-width: 900px; margin: 0 auto; padding: 28px; }
h1 { font: 500 30px/36px Newsreader, Georgia, serif; margin: 0; }
h2 { font: 500 20px/26px Newsreader, Georgia, serif; margin: 26px 0 6px; border-top: 1px solid #23211D; padding-top: 10px; }
h3 { font: 500 15px/20px Newsreader, Georgia, serif; margin: 14px 0 4px; }
p { margin: 4px 0; }
table { border-collapse: collapse; width: 100%; }
th { text-align: left; font-weight: 600; }
th, td { padding: 4px 10px 4px 0; border-bottom: 1px solid #D9D1C3; vertical-align: top; }
.rows th { width: 110px; }
.value, .figures td, code { font-family: "IBM Plex Mono", Menlo, Consolas, monospace; font-size: 13px; }
.value { white-space: nowrap; padding-right: 18px; }
.figures { width: auto; }
.figures th, .figures td { padding-right: 22px; }
.figures td { text-align: right; }
.figures thead th { font-weight: 400; color: #5B564D; }
header { display: grid; grid-template-columns: 1fr auto; gap: 24px; align-items: end; }
header figure img { max-width: 200px; }
.pictures { display: flex; gap: 20px; margin: 6px 0 10px; }
figure { margin: 0; }
figure img { display: block; border: 1px solid #D9D1C3; max-width: 300px; }
figcaption { font-size: 12px; color: #5B564D; }
.verdict { display: inline-block; border: 3px double #2F7566; color: #2F7566; font: 500 19px/24px Newsreader, Georgia, serif; padding: 3px 14px; margin: 8px 0; }
.verdict small { font: 12px/16px "Source Sans 3", Arial, sans-serif; display: block; }
.verdict.hold { border-color: #A83A2A; color: #A83A2A; }
.wrong th { width: 260px; font-weight: 400; }
@media print { body { background: #fff; padding: 0; } section { break-inside: avoid; } }
`;
