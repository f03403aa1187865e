import { CHANNELS } from './light.ts';
import type { Picture } from './picture.ts';
import type { Raster } from './raster.ts';
import type { Scene } from './scene.ts';
import type { Shader } from './shader.ts';

// Taken over once: under test an imported name is asked for at every use, which these loops make millions of.
const channels = CHANNELS;

/** Layers kept on one pixel; hair of the densest heads has some sixty. */
const MOST_LAYERS = 256;
/** Light that gets through so weakly is not followed further. */
const NOTHING = 0.002;

/** What lies on one pixel, in drawing order, and after it what is solid. */
interface Stack {
  count: number;
  triangle: Int32Array;
  depth: Float64Array;
  material: Int32Array;
  /** Opacity as sampled, and as the map means it. */
  alpha: Float64Array;
  meant: Float64Array;
  color: Float64Array;
  /** Normal and roughness, four a layer. */
  surface: Float64Array;
}

/**
 * Turns what a camera sees into pictures. **As meant**: every layer over the next, in true order. **As drawn** by a usual
 * engine: cut-outs hide what is behind where the sampled alpha passes, blended layers go over one another in the order
 * they are drawn.
 * @returns how many points were shaded
 */
export function resolve(
  scene: Scene,
  raster: Raster,
  shader: Shader,
  meant: Picture | null,
  drawn: Picture | null,
): number {
  const { size, solid, last } = raster,
    stack: Stack = {
      count: 0,
      triangle: new Int32Array(MOST_LAYERS),
      depth: new Float64Array(MOST_LAYERS),
      material: new Int32Array(MOST_LAYERS + 1),
      alpha: new Float64Array(MOST_LAYERS),
      meant: new Float64Array(MOST_LAYERS),
      color: new Float64Array((MOST_LAYERS + 1) * channels),
      surface: new Float64Array((MOST_LAYERS + 1) * 4),
    },
    mixer = new Mixer(scene.materials.length);
  let shaded = 0;
  for (let y = 0, at = 0; y < size; y++)
    for (let x = 0; x < size; x++, at++) {
      if (last[at] < 0 && solid[at] < 0) continue;
      if (meant) widen(meant, x, y);
      if (drawn) widen(drawn, x, y);
      if (last[at] < 0) {
        shader.shade(solid[at], x, y);
        shaded++;
        if (meant) putSolid(meant, at, shader, raster.depth[at]);
        if (drawn) putSolid(drawn, at, shader, raster.depth[at]);
        continue;
      }
      shaded += gather(stack, raster, shader, at, x, y);
      if (meant) asMeant(stack, raster, at, mixer, meant);
      if (drawn) asDrawn(stack, raster, at, mixer, drawn, scene);
    }
  return shaded;
}

function widen(picture: Picture, x: number, y: number): void {
  if (x < picture.left) picture.left = x;
  if (x > picture.right) picture.right = x;
  if (y < picture.top) picture.top = y;
  if (y > picture.bottom) picture.bottom = y;
}

function putSolid(picture: Picture, at: number, shader: Shader, depth: number): void {
  const { color } = picture,
    { rgb, material } = shader;
  writeSurface(picture.surface, at, shader);
  for (let k = 0, o = at * channels; k < channels; k++, o++) color[o] = rgb[k];
  picture.alpha[at] = 1;
  picture.material[at] = material;
  picture.strength[at] = 1;
  picture.depth[at] = depth;
  picture.shares.add(at, material, 1);
}

function writeSurface(out: Float32Array | Float64Array, at: number, { facing, roughness }: Shader): void {
  const o = at * 4;
  out[o] = facing[0];
  out[o + 1] = facing[1];
  out[o + 2] = facing[2];
  out[o + 3] = roughness;
}

/** Shades all that lies on a pixel. What is hidden by an opaque layer as meant and as drawn is left out. */
function gather(stack: Stack, raster: Raster, shader: Shader, at: number, x: number, y: number): number {
  const { depth, solid, last, layerBefore, layerDepth, layerTriangle } = raster;
  let n = 0;
  for (let layer = last[at]; layer >= 0 && n < MOST_LAYERS; layer = layerBefore[layer])
    if (layerDepth[layer] < depth[at]) n++;
  // The list runs from the last drawn to the first.
  let k = n;
  for (let layer = last[at]; layer >= 0 && k > 0; layer = layerBefore[layer])
    if (layerDepth[layer] < depth[at]) {
      k--;
      stack.triangle[k] = layerTriangle[layer];
      stack.depth[k] = layerDepth[layer];
    }
  let kept = 0;
  for (let i = 0; i < n; i++) {
    if (!shader.shade(stack.triangle[i], x, y)) continue;
    stack.triangle[kept] = stack.triangle[i];
    stack.depth[kept] = stack.depth[i];
    stack.material[kept] = shader.material;
    stack.alpha[kept] = shader.alpha;
    stack.meant[kept] = shader.meant;
    writeSurface(stack.surface, kept, shader);
    for (let c = 0, o = kept * channels; c < channels; c++, o++) stack.color[o] = shader.rgb[c];
    kept++;
  }
  stack.count = kept;
  stack.material[MOST_LAYERS] = -1;
  if (solid[at] < 0) return n;
  shader.shade(solid[at], x, y);
  stack.material[MOST_LAYERS] = shader.material;
  writeSurface(stack.surface, MOST_LAYERS, shader);
  for (let c = 0, o = MOST_LAYERS * channels; c < channels; c++, o++) stack.color[o] = shader.rgb[c];
  return n + 1;
}

/** Colours and shares of materials that come together on a pixel. */
class Mixer {
  readonly color = new Float64Array(channels);
  private readonly share: Float64Array;
  private readonly used: number[] = [];

  constructor(materials: number) {
    this.share = new Float64Array(materials);
  }

  /** Adds light of a layer to what is there already. */
  under({ color, material }: Stack, layer: number, weight: number): void {
    for (let c = 0, o = layer * channels; c < channels; c++, o++) this.color[c] += weight * color[o];
    this.add(material[layer], weight);
  }

  /** Lays a layer over what is there already. */
  over({ color, material }: Stack, layer: number, weight: number): void {
    for (let c = 0, o = layer * channels; c < channels; c++, o++)
      this.color[c] = this.color[c] * (1 - weight) + weight * color[o];
    for (const m of this.used) this.share[m] *= 1 - weight;
    this.add(material[layer], weight);
  }

  private add(material: number, weight: number): void {
    if (this.share[material] === 0 && !this.used.includes(material)) this.used.push(material);
    this.share[material] += weight;
  }

  /** Writes it down and begins anew. */
  put(picture: Picture, at: number, alpha: number, depth: number): void {
    let most = -1,
      strength = 0;
    for (const m of this.used) {
      picture.shares.add(at, m, this.share[m]);
      if (this.share[m] > strength) {
        strength = this.share[m];
        most = m;
      }
      this.share[m] = 0;
    }
    this.used.length = 0;
    for (let c = 0, o = at * channels; c < channels; c++, o++) picture.color[o] = this.color[c];
    this.color.fill(0);
    picture.alpha[at] = alpha;
    picture.material[at] = most;
    picture.strength[at] = strength;
    picture.depth[at] = depth;
  }
}

function asMeant(stack: Stack, raster: Raster, at: number, mixer: Mixer, picture: Picture): void {
  const { count, depth, triangle, meant } = stack;
  let left = 1,
    lead = 0,
    leader = -1,
    leadDepth = 1,
    // The nearest that was not yet laid down: by depth, and of two at one depth by number.
    nearest = -Infinity,
    number = -1;
  for (let step = 0; step < count && left > NOTHING; step++) {
    let next = -1;
    for (let i = 0; i < count; i++) {
      const after = depth[i] > nearest || (depth[i] === nearest && triangle[i] > number);
      if (after && (next < 0 || depth[i] < depth[next] || (depth[i] === depth[next] && triangle[i] < triangle[next])))
        next = i;
    }
    if (next < 0) break;
    nearest = depth[next];
    number = triangle[next];
    const weight = left * meant[next];
    if (weight <= 0) continue;
    mixer.under(stack, next, weight);
    if (weight > lead) {
      lead = weight;
      leader = next;
      leadDepth = depth[next];
    }
    left *= 1 - meant[next];
  }
  if (stack.material[MOST_LAYERS] >= 0 && left > 0) {
    mixer.under(stack, MOST_LAYERS, left);
    if (left > lead) {
      leader = MOST_LAYERS;
      leadDepth = raster.depth[at];
    }
    left = 0;
  }
  if (leader >= 0) for (let k = 0; k < 4; k++) picture.surface[at * 4 + k] = stack.surface[leader * 4 + k];
  mixer.put(picture, at, 1 - left, leadDepth);
}

function asDrawn(stack: Stack, raster: Raster, at: number, mixer: Mixer, picture: Picture, { materials }: Scene): void {
  const { count, depth, alpha, material } = stack;
  let ground = stack.material[MOST_LAYERS] >= 0 ? MOST_LAYERS : -1,
    nearest = raster.depth[at];
  for (let i = 0; i < count; i++) {
    const { mode, cutoff } = materials[material[i]];
    if (mode === 'MASK' && alpha[i] >= cutoff && depth[i] < nearest) {
      nearest = depth[i];
      ground = i;
    }
  }
  let left = 1,
    shownDepth = nearest;
  if (ground >= 0) {
    mixer.under(stack, ground, 1);
    left = 0;
  }
  for (let i = 0; i < count; i++) {
    if (materials[material[i]].mode === 'MASK' || depth[i] > nearest) continue;
    mixer.over(stack, i, alpha[i]);
    left *= 1 - alpha[i];
    if (alpha[i] > 0.5) shownDepth = Math.min(shownDepth, depth[i]);
  }
  mixer.put(picture, at, 1 - left, shownDepth);
}
