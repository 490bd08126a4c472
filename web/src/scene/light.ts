import { Color, DoubleSide, GLSL3, ShaderMaterial, Vector2, Vector3, type IUniform } from 'three';

import type { CurvatureKind, Light } from '../state/view';

const MODES: Record<Light, number> = { clay: 0, zebra: 1, curvature: 2, lines: 0 };
const KINDS: Record<CurvatureKind, number> = { gauss: 0, mean: 1, largest: 2, smallest: 3, radius: 4 };

/** Colours of the curvature scale from low to high: cool to warm through the ground colour, safe for colour blindness. */
export const SCALE = ['#0b4f6c', '#3f8fa8', '#b9d3cf', '#f3ecdc', '#e8b97a', '#cf6f3a', '#8e2a1e'];

/** Uniforms that all shapes share: one change switches the light everywhere. */
export interface LightUniforms {
  [name: string]: IUniform;
  mode: IUniform<number>;
  fixedToPart: IUniform<number>;
  bands: IUniform<number>;
  axis: IUniform<Vector2>;
  kind: IUniform<number>;
  range: IUniform<Vector2>;
  toEye: IUniform<Vector3>;
  scale: IUniform<Color[]>;
}

export function lightUniforms(): LightUniforms {
  return {
    mode: { value: 0 },
    fixedToPart: { value: 0 },
    bands: { value: 14 },
    axis: { value: new Vector2(0, 1) },
    kind: { value: 1 },
    range: { value: new Vector2(-0.01, 0.01) },
    toEye: { value: new Vector3(0, 0, 1) },
    scale: { value: SCALE.map((c) => new Color(c).convertLinearToSRGB()) },
  };
}

export const modeOf = (light: Light): number => MODES[light];
export const kindOf = (kind: CurvatureKind): number => KINDS[kind];

const VERTEX = /* glsl */ `
in vec2 bend;
out vec3 worldNormal;
out vec2 bends;
void main() {
  worldNormal = normal;
  bends = bend;
  gl_Position = projectionMatrix * viewMatrix * vec4(position, 1.0);
}`;

const FRAGMENT = /* glsl */ `
precision highp float;
in vec3 worldNormal;
in vec2 bends;
out vec4 colour;
uniform int mode;
uniform int fixedToPart;
uniform float bands;
uniform vec2 axis;
uniform int kind;
uniform vec2 range;
uniform vec3 toEye;
uniform vec3 scale[7];
uniform vec3 tint;
uniform float lift;
uniform vec3 accent;
uniform int ghost;

vec3 clay(vec3 n, bool back) {
  float key = max(dot(n, normalize(vec3(-0.45, 0.65, 0.62))), 0.0);
  float fill = max(dot(n, normalize(vec3(0.75, 0.1, 0.45))), 0.0);
  float sky = 0.5 + 0.5 * n.y;
  float gloss = pow(max(dot(n, normalize(vec3(-0.28, 0.42, 0.86))), 0.0), 28.0);
  vec3 base = back ? mix(tint, vec3(0.42, 0.45, 0.47), 0.45) : tint;
  float rim = max(dot(n, normalize(vec3(-0.2, -0.75, 0.5))), 0.0);
  return base * (0.50 + 0.14 * sky + 0.40 * key + 0.12 * fill + 0.10 * rim) + vec3(0.09) * gloss;
}

float figure(vec2 k) {
  if (kind == 0) return k.x * k.y;
  if (kind == 1) return 0.5 * (k.x + k.y);
  if (kind == 2) return k.x;
  if (kind == 3) return k.y;
  return 1.0 / max(max(abs(k.x), abs(k.y)), 1e-9);
}

vec3 scaled(float t) {
  float s = clamp(t, 0.0, 1.0) * 6.0;
  int i = int(min(floor(s), 5.0));
  return mix(scale[i], scale[i + 1], s - float(i));
}

void main() {
  // A ghost is a screen of dots: what lies behind shows through, and nothing needs sorting.
  if (ghost == 1 && mod(gl_FragCoord.x, 4.0) + mod(gl_FragCoord.y, 4.0) * 4.0 > 3.9) discard;
  vec3 n = normalize(worldNormal);
  bool back = dot(n, toEye) < 0.0;
  if (back) n = -n;
  vec3 seen = normalize((viewMatrix * vec4(n, 0.0)).xyz);
  vec3 shade = clay(seen, back);
  if (mode == 1) {
    vec3 r;
    vec3 line;
    if (fixedToPart == 1) {
      r = reflect(-toEye, n);
      line = vec3(axis.x, 0.35 * axis.x, axis.y);
    } else {
      r = reflect(vec3(0.0, 0.0, -1.0), seen);
      line = vec3(axis, 0.0);
    }
    float s = asin(clamp(dot(r, normalize(line)), -0.9999, 0.9999)) / 3.14159265 * bands;
    float wide = fwidth(s);
    float saw = abs(fract(s) - 0.5) * 2.0;
    float stripe = smoothstep(0.5 - min(wide, 0.5), 0.5 + min(wide, 0.5), saw);
    stripe = mix(stripe, 0.5, smoothstep(0.6, 1.4, wide));
    shade = mix(vec3(0.10, 0.115, 0.125), vec3(0.965, 0.955, 0.925), stripe) * (0.88 + 0.12 * dot(shade, vec3(0.4)));
  } else if (mode == 2) {
    float t = (figure(bends) - range.x) / max(range.y - range.x, 1e-12);
    shade = scaled(t) * (0.86 + 0.2 * dot(shade, vec3(0.36)));
  }
  colour = vec4(mix(shade, accent, lift), 1.0);
}`;

/** Material of one shape: the shared light with the shape's own tint. */
export function shapeMaterial(shared: LightUniforms): ShaderMaterial {
  return new ShaderMaterial({
    glslVersion: GLSL3,
    vertexShader: VERTEX,
    fragmentShader: FRAGMENT,
    side: DoubleSide,
    polygonOffset: true,
    polygonOffsetFactor: 1.5,
    polygonOffsetUnits: 2,
    uniforms: {
      ...shared,
      tint: { value: new Color() },
      lift: { value: 0 },
      ghost: { value: 0 },
      accent: { value: new Color('#0d6d6b').convertLinearToSRGB() },
    },
  });
}
