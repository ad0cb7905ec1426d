import { Color, DoubleSide, ShaderMaterial, Vector3 } from 'three';

export type Shading = 'form' | 'error';

/** Matte clay under one raking light; or signed error from prussian (too low) through leaf to madder (too high). Both sides are lit. */
export function createClayMaterial(): ShaderMaterial {
  return new ShaderMaterial({
    side: DoubleSide,
    uniforms: {
      light: { value: new Vector3(-0.7, 0.5, 0.5) },
      clay: { value: new Color(0.76, 0.7, 0.6) },
      errorRange: { value: 1 },
      showError: { value: 0 },
    },
    vertexShader: `
      attribute float error;
      varying vec3 vNormal;
      varying float vError;
      void main() {
        vNormal = normalMatrix * normal;
        vError = error;
        gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
      }`,
    fragmentShader: `
      uniform vec3 light;
      uniform vec3 clay;
      uniform float errorRange;
      uniform float showError;
      varying vec3 vNormal;
      varying float vError;
      const vec3 LOW = vec3(0.122, 0.306, 0.420);
      const vec3 NONE = vec3(0.984, 0.973, 0.949);
      const vec3 HIGH = vec3(0.659, 0.227, 0.165);
      void main() {
        vec3 n = normalize(vNormal) * (gl_FrontFacing ? 1.0 : -1.0);
        float raking = max(dot(n, normalize(light)), 0.0);
        float fill = 0.5 + 0.5 * n.y;
        float shade = 0.2 + 0.16 * fill + 0.86 * raking;
        float e = clamp(vError / errorRange, -1.0, 1.0);
        vec3 errorColour = e < 0.0 ? mix(NONE, LOW, -e) : mix(NONE, HIGH, e);
        vec3 base = mix(clay, errorColour, showError);
        // the error is a colour to be read: shape only tints it
        float s = mix(shade, 0.72 + 0.28 * shade, showError);
        gl_FragColor = vec4(clamp(base * s, 0.0, 1.0), 1.0);
      }`,
  });
}
