import type { BeyondGltf } from '@dimetra/core';
import * as THREE from 'three';

const number = (value: BeyondGltf[string] | undefined, otherwise: number): number =>
  typeof value === 'number' ? value : otherwise;
const color = (value: BeyondGltf[string] | undefined): THREE.Color =>
  Array.isArray(value) ? new THREE.Color().fromArray(value) : new THREE.Color(1, 1, 1);

/**
 * Adds to a material what glTF has no place for: a second highlight of strands (Kajiya & Kay 1989, moved along them as
 * Scheuermann 2004 does) and light that comes through them from behind.
 * @param degrees which way strands run in the map, from u
 */
export function addBeyondGltf(material: THREE.MeshPhysicalMaterial, beyond: BeyondGltf, degrees: number): void {
  const turn = (degrees * Math.PI) / 180,
    uniforms = {
      strandTurn: { value: new THREE.Vector2(Math.cos(turn), Math.sin(turn)) },
      secondStrength: { value: number(beyond.second_highlight, 0) },
      secondColor: { value: color(beyond.second_highlight_color) },
      secondShift: { value: Math.tan((number(beyond.second_highlight_degrees, 8) * Math.PI) / 180) },
      throughStrength: { value: number(beyond.light_through, 0) },
      throughColor: { value: color(beyond.light_through_color) },
    };
  material.onBeforeCompile = (shader) => {
    Object.assign(shader.uniforms, uniforms);
    shader.fragmentShader = shader.fragmentShader
      .replace('#include <common>', `#include <common>\n${UNIFORMS}`)
      .replace('#include <lights_fragment_end>', `#include <lights_fragment_end>\n${SHADING}`);
  };
  material.customProgramCacheKey = () => 'beyond glTF';
}

const UNIFORMS = /* glsl */ `
uniform vec2 strandTurn;
uniform float secondStrength;
uniform vec3 secondColor;
uniform float secondShift;
uniform float throughStrength;
uniform vec3 throughColor;
`;
const SHADING = /* glsl */ `
#if defined( USE_MAP ) && NUM_DIR_LIGHTS > 0
{
  vec3 across = dFdx( -vViewPosition ), down = dFdy( -vViewPosition );
  vec2 ofAcross = dFdx( vMapUv ), ofDown = dFdy( vMapUv );
  // Directions in which u and v grow; v runs down the map.
  vec3 alongU = across * ofDown.y - down * ofAcross.y, alongV = down * ofAcross.x - across * ofDown.x;
  vec3 strand = normalize( strandTurn.x * alongU - strandTurn.y * alongV + 1e-9 );
  // Square to the smooth normal, so that no triangle shows; then moved along it.
  strand = normalize( strand - dot( strand, normal ) * normal );
  strand = normalize( strand + secondShift * normal );
  for ( int i = 0; i < NUM_DIR_LIGHTS; i ++ ) {
    vec3 toLight = directionalLights[ i ].direction;
    float facing = clamp( dot( normal, toLight ) * 0.5 + 0.5, 0.0, 1.0 );
    float along = dot( strand, normalize( toLight + geometryViewDir ) );
    float shine = pow( max( 0.0, 1.0 - along * along ), 40.0 );
    reflectedLight.directSpecular += directionalLights[ i ].color * secondColor * ( secondStrength * 0.15 * shine * facing );
    float behind = pow( max( 0.0, dot( - toLight, geometryViewDir ) ), 3.0 );
    reflectedLight.directDiffuse += directionalLights[ i ].color * throughColor * diffuseColor.rgb * ( throughStrength * behind );
  }
}
#endif
`;
