import type { Document } from '@gltf-transform/core';
import * as v from 'valibot';
import { isWorn, kindsOf } from '../character/index.ts';
import { measure } from '../measures.ts';
import type { Finding } from '../problem.ts';
import { worded } from '../settings.ts';
import { defineStep } from '../step.ts';
import { DerivedMaps } from './derived-maps.ts';
import { treat } from './treat.ts';
import { SHIPPED_TREATMENTS, type Treatment, treatmentFor, TreatmentSchema } from './treatment.ts';

/** What a material wears where it is said to wear none. */
export const NO_TREATMENT = 'none';

/** Which treatment each material gets, by its name: what is said by hand, else the one for its kind. */
export function treatmentsOf(
  document: Document,
  { worn, own, byKind }: { worn: Readonly<Record<string, string>>; own: readonly Treatment[]; byKind: boolean },
): Map<string, Treatment> {
  const kindOf = kindsOf(document),
    all = [...own, ...SHIPPED_TREATMENTS.filter(({ id }) => !own.some((treatment) => treatment.id === id))],
    out = new Map<string, Treatment>();
  for (const material of document.getRoot().listMaterials()) {
    const name = material.getName(),
      said = worn[name],
      found = said ? all.find(({ id }) => id === said) : byKind ? treatmentFor(kindOf(material), all) : null;
    if (found) out.set(name, found);
  }
  return out;
}

export const treatStep = defineStep({
  id: 'materials.treat',
  station: 'materials',
  title: 'Treatments',
  says: 'Each kind of surface is held within what such a surface can be: skin off the plastic, lashes and cloth matt, eyes moist. A treatment of your own changes what it says, and nothing else.',
  needs: ['S2', 'S5', 'S6'],
  settings: v.object({
    byKind: worded(v.optional(v.boolean(), true), { title: 'By what a material is' }),
    /** Material name → id of a treatment, or `none`. */
    worn: worded(v.optional(v.record(v.string(), v.string()), {}), { title: 'Treatments worn', names: 'material' }),
    /** Treatments of one's own; one with a shipped one's id takes its place. */
    own: v.optional(v.pipe(v.array(TreatmentSchema), v.maxLength(200)), []),
  }),
  reads: () => null,
  applies: (document, _target, settings) =>
    treatmentsOf(document, settings ?? { worn: {}, own: [], byKind: true }).size > 0,
  async run(document, settings, _target, context) {
    const work = new DerivedMaps(document, context),
      worn = treatmentsOf(document, settings),
      findings: Finding[] = [],
      materials = document.getRoot().listMaterials();
    for (const [name, said] of Object.entries(settings.worn))
      if (said !== NO_TREATMENT && !worn.has(name) && materials.some((material) => material.getName() === name))
        findings.push({
          code: 'materials.no-treatment',
          severity: 'warning',
          message: `“${name}” is to wear a treatment “${said}” that isn't here; it is left as it is. Bring the treatment in, or choose another.`,
          where: name,
        });
    let treated = 0;
    for (const [i, material] of materials.entries()) {
      const treatment = worn.get(material.getName());
      context.progress(i / materials.length, `treating ${material.getName()}`);
      const changed = treatment ? await treat(work, material, treatment) : [];
      if (!treatment || !changed.length) continue;
      treated++;
      findings.push({
        code: 'materials.treated',
        severity: 'info',
        message: `“${material.getName()}” was treated as “${treatment.title}”: ${changed.join(', ')}.`,
        where: material.getName(),
        names: { treatment: treatment.id },
      });
    }
    await work.written();
    // Maps that a treated one took the place of, and that nothing wears any more.
    for (const texture of document.getRoot().listTextures())
      if (work.made(texture) && !isWorn(texture)) texture.dispose();
    return { measures: [measure('materials-treated', 0, treated)], findings };
  },
});
