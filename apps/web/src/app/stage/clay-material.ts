import { Color, DataArrayTexture, DoubleSide, RedFormat, ShaderMaterial, Vector3 } from 'three';
import { MARK_RGB, MARKED_TILES } from './marks-texture';

/** `error` is signed, `distance` is its size; `marks` lays the classes of texels on the surface; `lines` draws contour lines alone. */
export type Shading = 'form' | 'error' | 'distance' | 'marks' | 'lines';

const MODES: Readonly<Record<Shading, number>> = { form: 0, error: 1, distance: 2, marks: 3, lines: 4 };

/** Prussian and madder, as everywhere: the two surfaces of a comparison. */
export const LINE_COLOURS = { first: new Color(0.06, 0.2, 0.3), second: new Color(0.66, 0.23, 0.16) } as const;

/** Matte clay under one raking light; errors from prussian (too low) through leaf to madder (too high), sizes from leaf to ink; level lines at
 *  equal steps of height. Both sides of a face are lit. */
export function createClayMaterial(): ShaderMaterial {
  const empty = new DataArrayTexture(new Uint8Array(1), 1, 1, 1);
  empty.format = RedFormat;
  empty.needsUpdate = true;
  return new ShaderMaterial({
    side: DoubleSide,
    polygonOffset: true,
    uniforms: {
      light: { value: new Vector3(-0.7, 0.5, 0.5) },
      clay: { value: new Color(0.76, 0.7, 0.6) },
      errorRange: { value: 1 },
      mode: { value: 0 },
      /** Scene units from one level line to the next; 0 draws none. */
      spacing: { value: 0 },
      lineColour: { value: LINE_COLOURS.first },
      marks: { value: empty },
      /** Tile of each layer; 0 where there is none. */
      markTiles: { value: new Float32Array(MARKED_TILES) },
    },
    vertexShader: `
      attribute float error;
      attribute vec2 uv2;
      attribute float tile;
      varying vec3 vNormal;
      varying float vError;
      varying vec3 vPlace;
      varying vec2 vUv2;
      varying float vTile;
      void main() {
        vNormal = normalMatrix * normal;
        vError = error;
        vPlace = position;
        vUv2 = uv2;
        vTile = tile;
        gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
      }`,
    fragmentShader: `
      uniform vec3 light;
      uniform vec3 clay;
      uniform float errorRange;
      uniform int mode;
      uniform float spacing;
      uniform vec3 lineColour;
      precision highp sampler2DArray;
      uniform sampler2DArray marks;
      uniform float markTiles[${MARKED_TILES}];
      varying vec3 vNormal;
      varying float vError;
      varying vec3 vPlace;
      varying vec2 vUv2;
      varying float vTile;
      const vec3 LOW = vec3(0.122, 0.306, 0.420);
      const vec3 NONE = vec3(0.984, 0.973, 0.949);
      const vec3 HIGH = vec3(0.659, 0.227, 0.165);
      const vec3 MOST = vec3(0.137, 0.129, 0.114);
      void main() {
        vec3 n = normalize(vNormal) * (gl_FrontFacing ? 1.0 : -1.0);
        float raking = max(dot(n, normalize(light)), 0.0);
        float fill = 0.5 + 0.5 * n.y;
        float shade = 0.2 + 0.16 * fill + 0.86 * raking;
        float line = 0.0;
        if (spacing > 0.0) {
          float h = vPlace.y / spacing;
          float width = fwidth(h);
          // lines that would run together are left out
          line = (1.0 - smoothstep(0.6, 1.3, abs(fract(h - 0.5) - 0.5) / width)) * (1.0 - smoothstep(0.25, 0.5, width));
        }
        if (mode == 4) {
          if (line < 0.5) discard;
          gl_FragColor = vec4(lineColour, 1.0);
          return;
        }
        float e = clamp(vError / errorRange, -1.0, 1.0);
        vec3 base = clay;
        float s = shade;
        if (mode == 1) base = e < 0.0 ? mix(NONE, LOW, -e) : mix(NONE, HIGH, e);
        if (mode == 2) base = mix(NONE, MOST, abs(e));
        // the error is a colour to be read: shape only tints it
        if (mode == 1 || mode == 2) s = 0.72 + 0.28 * shade;
        if (mode == 3)
          for (int layer = 0; layer < ${MARKED_TILES}; layer++)
            if (abs(vTile - markTiles[layer]) < 0.5) {
              int mark = int(texture(marks, vec3(vUv2, float(layer))).r * 255.0 + 0.5);
              if (mark > 0) {
                base = ${markColours()};
                s = 0.6 + 0.4 * shade;
              }
            }
        vec3 colour = mix(base * s, lineColour, line);
        gl_FragColor = vec4(clamp(colour, 0.0, 1.0), 1.0);
      }`,
  });
}

export const modeOf = (shading: Shading): number => MODES[shading];

/** The colours of the classes as an expression of the shader. */
function markColours(): string {
  const colours = MARK_RGB.flatMap((rgb, k) =>
    rgb === null ? [] : [[k, `vec3(${rgb.map((v) => (v / 255).toFixed(3)).join(', ')})`] as const],
  );
  return colours.reduceRight((rest, [k, colour]) => (rest === '' ? colour : `mark == ${k} ? ${colour} : ${rest}`), '');
}
