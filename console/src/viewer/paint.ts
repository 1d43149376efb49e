// Colours of the 3D view. They keep apart for eyes that tell red and green badly:
// told apart by lightness too, and named beside every map.
import * as THREE from 'three'
import { wallTimes } from './viewdata'

export const paint = { front: 0xb4c4c6, back: 0xc8592e, mark: 0xd6205f, chosen: 0xffb000, wire: 0x14323a, cut: 0x2f6f7a, bed: 0x7d8f94, measure: 0xd8671f }

const thin = new THREE.Color(paint.mark)
const nearlyThin = new THREE.Color(0x14323a)
export const pale = new THREE.Color(0xe4f1ee)

/** wallColour is the colour of a wall: its own below the thinnest, then from dark to light. */
export function wallColour(mm: number, thinnest: number): THREE.Color {
  if (mm < thinnest) return thin
  return nearlyThin.clone().lerp(pale, Math.min(1, (mm / thinnest - 1) / (wallTimes - 1)))
}

/** The maps that are painted over the whole surface by the graphics hardware. */
export interface Map {
  kind: 'none' | 'overhang' | 'deviation'
  steepest: number // overhang: degrees from upright
  most: number // deviation: mm of the darkest colour
}

/** Uniforms of a surface's material, shared by all that show it. */
export function uniforms() {
  return { map: { value: 0 }, steep: { value: 1 }, most: { value: 1 }, floor: { value: -1e9 } }
}

/**
 * mapped has a material show a map. The overhang follows from the triangle's own
 * normal; the deviation comes with each vertex.
 */
export function mapped(material: THREE.MeshLambertMaterial, u: ReturnType<typeof uniforms>) {
  material.onBeforeCompile = (shader) => {
    Object.assign(shader.uniforms, { mapKind: u.map, mapSteep: u.steep, mapMost: u.most, mapFloor: u.floor })
    shader.vertexShader = shader.vertexShader
      .replace('#include <common>', '#include <common>\nattribute float deviation;\nvarying float vDeviation;\nvarying vec3 vPlace;')
      .replace('#include <begin_vertex>', '#include <begin_vertex>\nvDeviation = deviation;\nvPlace = position;')
    shader.fragmentShader = shader.fragmentShader
      .replace('#include <common>', '#include <common>\nuniform int mapKind;\nuniform float mapSteep;\nuniform float mapMost;\nuniform float mapFloor;\nvarying float vDeviation;\nvarying vec3 vPlace;')
      .replace('#include <color_fragment>', `#include <color_fragment>
if (mapKind == 1) {
  vec3 up = normalize(cross(dFdx(vPlace), dFdy(vPlace)));
  if (!gl_FrontFacing) up = -up;
  bool over = -up.z > mapSteep && vPlace.z > mapFloor;
  bool stripe = mod(vPlace.x + vPlace.y + vPlace.z, mapMost) < mapMost * 0.5;
  diffuseColor.rgb = over ? (stripe ? vec3(0.67, 0.013, 0.115) : vec3(0.82, 0.07, 0.2)) : vec3(0.78, 0.88, 0.86);
} else if (mapKind == 2) {
  float far = clamp(vDeviation / mapMost, 0.0, 1.0);
  vec3 low = vec3(0.78, 0.88, 0.86);
  vec3 middle = vec3(0.82, 0.42, 0.03);
  vec3 high = vec3(0.29, 0.004, 0.085);
  diffuseColor.rgb = far < 0.5 ? mix(low, middle, far * 2.0) : mix(middle, high, far * 2.0 - 1.0);
}`)
  }
  material.customProgramCacheKey = () => 'mapped'
}
