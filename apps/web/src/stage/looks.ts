import { ONE_WAY } from '@dimetra/core';
import * as THREE from 'three';
import { besideIt } from '../figure/beside-it.ts';

/** Deviation and weights in steps of lightness, so that they read without colour too. */
const HEAT = [
  new THREE.Color(0x2b3a55),
  new THREE.Color(0x3f7f8c),
  new THREE.Color(0xd9c56a),
  new THREE.Color(0xf4f0e0),
];

/** Colour of a value, 0 … 1. */
export function heat(color: THREE.Color, value: number): void {
  const at = Math.max(0, Math.min(0.9999, value)) * (HEAT.length - 1);
  color.copy(HEAT[Math.floor(at)]).lerp(HEAT[Math.floor(at) + 1], at % 1);
}

/** Grey of what has no number: clothes cover it, or no map lies there. */
export const COVERED_COLOR = new THREE.Color(0x6b7075);

/** Colour of a distance against what the target allows: dark up to the limit, light beyond it, with a step between; full at three times the limit. */
export function heatAgainst(color: THREE.Color, mm: number, limitMm: number): void {
  if (mm < 0) {
    color.copy(COVERED_COLOR);
    return;
  }
  const at = mm / Math.max(1e-6, limitMm);
  if (at <= 1) color.copy(HEAT[0]).lerp(HEAT[1], at);
  else color.copy(HEAT[2]).lerp(HEAT[3], Math.min(1, (at - 1) / 2));
}

/** A colour for each joint that its neighbours in the list don't have: hues a golden section apart, three lightnesses. */
export const segmentColor = (joint: number): THREE.Color =>
  new THREE.Color().setHSL((joint * 0.618_034) % 1, 0.62, [0.26, 0.36, 0.47][joint % 3]);

/** What every surface is drawn with in a look that hides materials. */
export function lookMaterial(look: 'clay' | 'wire' | 'normals' | 'checker'): THREE.Material {
  if (look === 'normals') return new THREE.MeshNormalMaterial({ side: THREE.DoubleSide });
  if (look === 'checker')
    return new THREE.MeshStandardMaterial({ map: checker(), roughness: 0.8, side: THREE.DoubleSide });
  return new THREE.MeshStandardMaterial({
    color: look === 'wire' ? 0x8d9499 : 0xb9b2a6,
    roughness: 0.78,
    side: THREE.DoubleSide,
  });
}

/** Clay with strokes along the strands of a part's map; without any where its strands run no way that is known. */
export function strandMaterial(strands: { degrees: number; coherence: number } | undefined): THREE.Material {
  const clay = lookMaterial('clay') as THREE.MeshStandardMaterial;
  if (!strands || strands.coherence < ONE_WAY) return clay;
  clay.map = strokes();
  clay.map.repeat.set(STROKES_ACROSS, STROKES_ACROSS);
  // Degrees go against the clock with v upwards; places of a map run down.
  clay.map.rotation = (-strands.degrees * Math.PI) / 180;
  clay.color.set(0xffffff);
  clay.addEventListener('dispose', () => clay.map?.dispose());
  return clay;
}
const STROKES_ACROSS = 7;

/** Strokes that taper towards the right. */
function strokes(): THREE.Texture {
  const canvas = document.createElement('canvas');
  canvas.width = canvas.height = 64;
  const pen = canvas.getContext('2d') as CanvasRenderingContext2D;
  pen.fillStyle = '#3b454d';
  pen.fillRect(0, 0, 64, 64);
  pen.fillStyle = '#e3c58f';
  for (const [x, y] of [
    [2, 10],
    [-30, 42],
    [34, 42],
  ]) {
    pen.beginPath();
    pen.moveTo(x, y);
    pen.lineTo(x, y + 12);
    pen.lineTo(x + 56, y + 6);
    pen.fill();
  }
  const texture = new THREE.CanvasTexture(canvas);
  texture.flipY = false;
  texture.wrapS = texture.wrapT = THREE.RepeatWrapping;
  texture.colorSpace = THREE.SRGBColorSpace;
  return texture;
}

function checker(): THREE.Texture {
  const canvas = document.createElement('canvas');
  canvas.width = canvas.height = 512;
  const pen = canvas.getContext('2d') as CanvasRenderingContext2D;
  for (let y = 0; y < 16; y++)
    for (let x = 0; x < 16; x++) {
      pen.fillStyle = (x + y) % 2 ? '#d9d4c7' : '#4c565e';
      pen.fillRect(x * 32, y * 32, 32, 32);
      pen.fillStyle = (x + y) % 2 ? '#4c565e' : '#d9d4c7';
      pen.font = '11px monospace';
      pen.fillText(`${String.fromCharCode(65 + y)}${x}`, x * 32 + 7, y * 32 + 20);
    }
  const texture = new THREE.CanvasTexture(canvas);
  // glTF counts v downwards, as canvases do.
  texture.flipY = false;
  texture.wrapS = texture.wrapT = THREE.RepeatWrapping;
  texture.colorSpace = THREE.SRGBColorSpace;
  return texture;
}

/** One channel of the part's own maps, unlit: which of its texture and which of its components. */
const CHANNELS: Readonly<
  Record<
    string,
    [
      map: 'map' | 'normalMap' | 'roughnessMap' | 'metalnessMap' | 'aoMap',
      swizzle: string,
      factor: 'color' | 'roughness' | 'metalness' | 'opacity' | null,
    ]
  >
> = {
  'base colour': ['map', 'rgb', 'color'],
  'normal map': ['normalMap', 'rgb', null],
  roughness: ['roughnessMap', 'ggg', 'roughness'],
  metalness: ['metalnessMap', 'bbb', 'metalness'],
  occlusion: ['aoMap', 'rrr', null],
  opacity: ['map', 'aaa', 'opacity'],
};
export const isChannel = (look: string): boolean => look in CHANNELS;

/** A material that shows one channel of `own` as it is stored; a hatched grey where there is no such map. */
export function channelMaterial(look: string, own: THREE.MeshPhysicalMaterial): THREE.Material {
  const [slot, swizzle, factor] = CHANNELS[look],
    map = own[slot];
  const material = new THREE.MeshBasicMaterial({ side: THREE.DoubleSide, map, toneMapped: false, alphaTest: 0 });
  const value = factor === 'color' ? own.color.clone() : new THREE.Color().setScalar(factor ? own[factor] : 1);
  if (!map) {
    material.color.copy(factor ? value : new THREE.Color(0x3a4046));
    return material;
  }
  const linear = map.colorSpace !== THREE.SRGBColorSpace;
  material.onBeforeCompile = (shader) => {
    shader.uniforms.factor = { value };
    shader.fragmentShader = `uniform vec3 factor;\n${shader.fragmentShader}`.replace(
      '#include <map_fragment>',
      `vec4 texel = texture2D(map, vMapUv); vec3 shown = texel.${swizzle} * factor; diffuseColor = vec4(${linear || swizzle === 'aaa' ? 'pow(shown, vec3(2.2))' : 'shown'}, 1.0);`,
    );
  };
  material.customProgramCacheKey = () => `${look}/${linear}`;
  return material;
}

/** Front faces in clay, back faces in a colour that can't be overlooked. */
export function backFaces(): THREE.Material {
  const material = new THREE.MeshStandardMaterial({ color: 0xb9b2a6, roughness: 0.78, side: THREE.DoubleSide });
  material.onBeforeCompile = (shader) => {
    shader.fragmentShader = shader.fragmentShader.replace(
      '#include <color_fragment>',
      '#include <color_fragment>\n if (!gl_FrontFacing) diffuseColor.rgb = vec3(0.85, 0.08, 0.25);',
    );
  };
  return material;
}

/** Edges laid over a mesh, following its joints and morphs. */
export function wireOf(mesh: THREE.Mesh): THREE.Object3D {
  const material = new THREE.MeshBasicMaterial({
    wireframe: true,
    transparent: true,
    depthWrite: false,
    polygonOffset: true,
    polygonOffsetFactor: -1,
  });
  const wire = besideIt(mesh, material);
  wire.name = 'edges';
  wire.renderOrder = 5;
  return wire;
}
