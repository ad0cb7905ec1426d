import { zipSync } from 'fflate';
import { zippedMeshes } from '../src';

const LIMITS = { files: 3, bytes: 1000 };
const text = (s: string): Uint8Array => new TextEncoder().encode(s);
const blob = (bytes: Uint8Array): Blob => new Blob([new Uint8Array(bytes)]);
const opened = async (files: Record<string, Uint8Array>, limits = LIMITS): Promise<Record<string, string>> => {
  const meshes = await zippedMeshes(blob(zipSync(files)), limits);
  return Object.fromEntries(meshes.map(({ path, pieces }) => [path, Buffer.concat(pieces).toString()]));
};

describe('meshes in a zip', () => {
  it('come out as they went in, with their folders; the rest is passed over', async () => {
    const long = 'v 1 2 3\n'.repeat(100);
    const files = { 'bell/low.obj': text('v 0 0 0\n'), 'bell/top.PLY': text(long), 'notes.txt': text('x'), '__MACOSX/bell/low.obj': text('?'), 'bell/.low.obj': text('?') }; // prettier-ignore
    expect(await opened(files)).toEqual({ 'bell/low.obj': 'v 0 0 0\n', 'bell/top.PLY': long });
  });

  it('are bounded by what they unpack to and by their number', async () => {
    await expect(opened({ 'bomb.obj': new Uint8Array(100_000) })).rejects.toThrow('bomb.obj in it is larger than');
    const many = Object.fromEntries(['a', 'b', 'c', 'd'].map((n) => [`${n}.obj`, text('v')]));
    await expect(opened(many)).rejects.toThrow('holds 4 meshes, more than 3');
  });

  it('are refused with a sentence where a zip is damaged, cut off, or has none', async () => {
    await expect(opened({ 'notes.txt': text('x') })).rejects.toThrow('holds no mesh');
    const whole = zipSync({ 'low.obj': text('v 1 2 3\n'.repeat(90)) });
    for (const bytes of [whole.subarray(0, 60), whole.map((b, i) => (i > 40 && i < 50 ? b ^ 0xff : b)), text('no zip at all')])
      await expect(zippedMeshes(blob(bytes), LIMITS)).rejects.toMatchObject({ name: 'InvalidInputError' });
  });
});
