import type { Document, Material, Texture } from '@gltf-transform/core';
import * as v from 'valibot';
import { mapsOf } from '../character/index.ts';
import { writePng } from '../formats/images/png.ts';
import type { Finding } from '../problem.ts';
import { defineStep, type StepContext } from '../step.ts';
import { addOperation, clearOperations, faultMessage, findMapFaults, inverted, isGrey, normalsFromHeight, operationsOf, withAlpha, type Pixels } from '../textures/index.ts';

const AS = v.optional(v.picklist(['found', 'keep']), 'found');
export const channelsStep = defineStep({
  id: 'materials.channels', station: 'materials', title: 'Maps to the channels of glTF', version: 1, needs: ['S1', 'S2'],
  settings: v.object({
    /** Normal maps with green down: turned as found, or left. */
    green: AS,
    /** Gloss that lies where roughness belongs: inverted as found, or left. */
    gloss: AS,
    /** Height of a bump map's full range, in texels. */
    bump: v.optional(v.pipe(v.number(), v.minValue(0), v.maxValue(64)), 4),
  }),
  reads: () => null,
  applies: (document) => document.getRoot().listMaterials().length > 0,
  async run(document, settings, _target, context) {
    const findings: Finding[] = [], work = new Work(document, context);
    let turned = 0, made = 0;
    const faults = settings.green === 'keep' && settings.gloss === 'keep' ? [] : await findMapFaults(document, context.images);
    for (const fault of faults) {
      const green = fault.code === 'textures.green-down';
      if (settings[green ? 'green' : 'gloss'] === 'keep') continue;
      const fresh = await work.derived(fault.texture, green ? 'green-up' : 'roughness', (pixels) => inverted(pixels, [1]));
      if (!fresh) continue;
      replace(document, fault.texture, fresh, green ? ['normal', 'clearcoatNormal'] : ['metallicRoughness']);
      findings.push({ code: fault.code, severity: 'info', message: faultMessage(fault).replace('The run turns it.', 'It was turned.').replace('The run inverts it.', 'It was inverted.'), where: fault.material.getName(), measured: fault.measured });
      turned++;
    }
    const materials = document.getRoot().listMaterials();
    for (const [i, material] of materials.entries()) {
      context.progress(i / materials.length, `maps of ${material.getName()}`);
      const kept = material.getExtras().dimetraMaps as Record<string, string> | undefined;
      if (kept) made += await placeKept(document, work, material, kept, settings.bump, findings);
      // An inversion decided before is carried out here, so that the stage shows what is delivered.
      const rough = material.getMetallicRoughnessTexture();
      if (rough && operationsOf(rough).some((entry) => entry.op === 'invert')) {
        const fresh = await work.derived(rough, 'roughness', (pixels) => inverted(pixels, [0, 1, 2]));
        if (fresh) { const rest = operationsOf(rough).filter((entry) => entry.op !== 'invert'); clearOperations(rough); for (const operation of rest) addOperation(fresh, operation); replace(document, rough, fresh, ['metallicRoughness']); turned++; }
      }
    }
    return { measures: [{ name: 'maps turned or inverted', unit: '', source: 0, result: turned }, { name: 'channels made from other maps', unit: '', source: 0, result: made }], findings };
  },
});

/** Images made from others, each once. */
class Work {
  private readonly made = new Map<string, Texture>();
  private readonly decoded = new Map<Texture, Promise<Pixels | null>>();
  constructor(private readonly document: Document, private readonly context: StepContext) {}
  pixels(texture: Texture): Promise<Pixels | null> {
    let found = this.decoded.get(texture);
    if (!found) { const image = texture.getImage(); found = image?.length ? this.context.images.decode(image).catch(() => null) : Promise.resolve(null); this.decoded.set(texture, found); }
    return found;
  }
  async derived(texture: Texture, what: string, change: (pixels: Pixels) => Pixels): Promise<Texture | null> {
    const key = `${this.document.getRoot().listTextures().indexOf(texture)}/${what}`, known = this.made.get(key);
    if (known) return known;
    const pixels = await this.pixels(texture);
    if (!pixels) return null;
    const name = `${(texture.getURI() || texture.getName() || 'map').replace(/^.*\//, '').replace(/\.[^.]+$/, '')}_${what}`;
    const fresh = this.document.createTexture(name).setImage(writePng(change(pixels))).setMimeType('image/png').setURI(`${name}.png`);
    this.made.set(key, fresh);
    return fresh;
  }
}

function replace(document: Document, old: Texture, fresh: Texture, channels: readonly string[]): void {
  for (const material of document.getRoot().listMaterials()) for (const use of mapsOf(material)) {
    if (use.texture !== old || !channels.includes(use.channel)) continue;
    if (use.channel === 'normal') material.setNormalTexture(fresh);
    else if (use.channel === 'metallicRoughness') material.setMetallicRoughnessTexture(fresh);
  }
  if (!document.getRoot().listMaterials().some((material) => mapsOf(material).some((use) => use.texture === old))) old.dispose();
}

/** What older formats hold and glTF has no place for becomes what it has one for. @returns channels made */
async function placeKept(document: Document, work: Work, material: Material, kept: Record<string, string>, strength: number, findings: Finding[]): Promise<number> {
  const named = (name: string | undefined) => (name === undefined ? undefined : document.getRoot().listTextures().find((texture) => texture.getName() === name));
  const name = material.getName(), left = { ...kept };
  let made = 0;
  const say = (channel: string, what: string, texture: Texture) => { findings.push({ code: 'materials.channel', severity: 'info', message: `“${texture.getURI() || texture.getName()}” of “${name}” was a ${channel} map; it gives the ${what}.`, where: name }); made++; };
  const gloss = named(kept.shininess ?? kept.gloss);
  if (gloss && !material.getMetallicRoughnessTexture()) {
    const fresh = await work.derived(gloss, 'roughness', (pixels) => inverted(pixels, [0, 1, 2]));
    if (fresh) { material.setMetallicRoughnessTexture(fresh).setRoughnessFactor(1).setMetallicFactor(0); say('gloss', 'roughness', gloss); delete left.shininess; delete left.gloss; }
  }
  const rough = named(kept.roughness);
  if (rough && !material.getMetallicRoughnessTexture()) { material.setMetallicRoughnessTexture(rough).setRoughnessFactor(1); if (!kept.metallic) material.setMetallicFactor(0); say('separate roughness', 'roughness', rough); delete left.roughness; }
  const bump = named(kept.bump ?? kept.height);
  if (bump && !material.getNormalTexture() && strength > 0) {
    const pixels = await work.pixels(bump);
    // Files call a normal map “bump” as often as not; its pixels tell.
    if (pixels && !isGrey(pixels)) { material.setNormalTexture(bump); say('“bump”', 'normals it really holds', bump); delete left.bump; }
    else { const fresh = await work.derived(bump, 'normal', (own) => normalsFromHeight(own, strength)); if (fresh) { material.setNormalTexture(fresh); say('bump', 'normals', bump); delete left.bump; delete left.height; } }
  }
  const opacity = named(kept.opacity), color = material.getBaseColorTexture();
  if (opacity && opacity !== color) {
    const alpha = await work.pixels(opacity);
    const fresh = color && alpha ? await work.derived(color, `with_${opacity.getName() || 'opacity'}`, (own) => withAlpha(own, alpha)) : alpha ? await work.derived(opacity, 'alpha', (own) => withAlpha({ ...own, data: new Uint8Array(own.data.length).fill(255) }, own)) : null;
    if (fresh) { material.setBaseColorTexture(fresh); say('opacity', 'alpha of the colour', opacity); delete left.opacity; }
  } else if (opacity) delete left.opacity;
  const { dimetraMaps: _, ...extras } = material.getExtras();
  material.setExtras(Object.keys(left).length ? { ...extras, dimetraMaps: left } : extras);
  return made;
}
