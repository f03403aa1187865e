import * as v from 'valibot';
import { createDeformer, influencesMax, influencesOf, listParts, skeletonOf } from '../character/index.ts';
import { measureStance, standUp } from '../intake/index.ts';
import { planAlpha } from '../materials/index.ts';
import { budgetById, shareBudget, SIMPLIFY_DEFAULTS, simplifyParts } from '../reduce/index.ts';
import { jointRoles, missingRoles, planSkeleton, poseSkeleton, RANGE_OF_MOTION, remapSkeleton, roleIndex } from '../skeleton/index.ts';
import { skeletonRule } from '../targets/index.ts';
import { applyTexturePlan, planTextures, textureMemory, textureState } from '../textures/index.ts';
import { limitInfluences, writeInfluences } from '../weights/index.ts';
import { roleLabel, updateDossier } from '../character/index.ts';
import type { Finding } from '../problem.ts';
import { defineStep, type Measure, type StepDefinition } from './step.ts';

const standStep = defineStep({
  id: 'intake.stand', station: 'intake', title: 'Stand on the floor in metres', version: 1, needs: ['I2'],
  settings: v.object({
    /** Metres per unit of the file; found from the body's height where not given. */
    unitMetres: v.optional(v.pipe(v.number(), v.minValue(1e-6), v.maxValue(1e6))),
    upAxis: v.optional(v.picklist(['y', 'z'])),
    facing: v.optional(v.picklist(['+z', '-z', '+x', '-x'])),
    floor: v.optional(v.boolean(), true),
  }),
  applies: () => true,
  async run(document, settings) {
    const before = measureStance(document);
    standUp(document, { unitMetres: settings.unitMetres ?? before.unitMetres, upAxis: settings.upAxis ?? before.upAxis, facing: settings.facing ?? before.facing, floor: settings.floor });
    const after = measureStance(document);
    updateDossier(document, { found: { upAxis: before.upAxis, unitMetres: before.unitMetres, facing: before.facing, evidence: before.evidence } });
    return { measures: [{ name: 'height', unit: 'cm', source: before.heightCm, result: after.heightCm }, { name: 'lowest point', unit: 'cm', source: before.lowestCm, result: after.lowestCm }], findings: [] };
  },
});

const skeletonStep = defineStep({
  id: 'skeleton.remap', station: 'skeleton', title: 'Joints to the target', version: 1, needs: ['K1', 'K2', 'K3'],
  settings: v.object({
    /** Joint name → name on the target, or empty to let it go. */
    ties: v.optional(v.record(v.string(), v.string()), {}),
  }),
  applies: (document) => document.getRoot().listSkins().length > 0,
  async run(document, settings, target) {
    const skeleton = skeletonOf(document);
    const roles = jointRoles(document, skeleton);
    const plans = planSkeleton(document, skeletonRule(target), settings.ties, skeleton, roles);
    const findings: Finding[] = [];
    const missing = missingRoles(plans.map((plan) => plan.found));
    if (missing.length) findings.push({ code: 'skeleton.roles-missing', severity: 'warning', message: `No joint was recognised as ${missing.map(roleLabel).join(', ')}. Tie ${missing.length === 1 ? 'it' : 'them'} by hand in the loom.`, measured: missing.length, limit: 0, repair: 'skeleton.remap' });
    const guesses = plans.filter((plan) => plan.target !== null && plan.found.confidence < 0.6 && plan.found.role !== 'end' && plan.found.role !== 'extra');
    if (guesses.length) findings.push({ code: 'skeleton.guesses', severity: 'info', message: `${guesses.length} joints are guesses: ${guesses.slice(0, 5).map((plan) => skeleton.joints[plan.joint].getName()).join(', ')}${guesses.length > 5 ? ' …' : ''}.`, measured: guesses.length });
    const before = skeleton.joints.length;
    findings.push(...remapSkeleton(document, plans, skeleton));
    return { measures: [{ name: 'joints', unit: '', source: before, result: skeletonOf(document).joints.length }], findings };
  },
});

const weightsStep = defineStep({
  id: 'weights.limit', station: 'weights', title: 'Limit influences', version: 1, needs: ['K6'],
  settings: v.object({ max: v.optional(v.pipe(v.number(), v.integer(), v.minValue(1), v.maxValue(64))) }),
  applies: (document) => document.getRoot().listSkins().length > 0,
  async run(document, settings, target, context) {
    const most = settings.max ?? target.influences.max;
    const skinned = [...new Set(listParts(document).filter((part) => part.node.getSkin()).map((part) => part.prim))];
    const deformer = createDeformer(document);
    const roles = roleIndex(jointRoles(document, deformer.skeleton));
    const posed = RANGE_OF_MOTION.map((pose) => poseSkeleton(deformer.skeleton, roles, pose));
    let before = 0, changed = 0;
    const limited = skinned.flatMap((prim) => {
      const influences = influencesOf(prim);
      if (!influences) return [];
      before = Math.max(before, influencesMax(influences));
      const result = limitInfluences(influences, most);
      changed += result.changed;
      return [{ prim, result }];
    });
    for (const { prim, result } of limited) writeInfluences(document, prim, result.influences);
    const findings: Finding[] = [];
    let worst = 0, squares = 0, worstPose = '';
    if (changed) {
      const after = createDeformer(document);
      const a = new Float32Array(deformer.vertices * 3), b = new Float32Array(deformer.vertices * 3);
      posed.forEach((matrices, p) => {
        context.progress(p / posed.length, `bending: ${RANGE_OF_MOTION[p].name}`);
        deformer.evaluate(a, {}, matrices);
        after.evaluate(b, {}, matrices);
        for (let i = 0; i < a.length; i += 3) {
          const d = Math.hypot(a[i] - b[i], a[i + 1] - b[i + 1], a[i + 2] - b[i + 2]) * 1000;
          squares += d * d;
          if (d > worst) { worst = d; worstPose = RANGE_OF_MOTION[p].name; }
        }
      });
      findings.push({ code: 'weights.limited', severity: worst > 10 ? 'warning' : 'info', message: `${changed} vertices had more than ${most} influences; the worst moves ${worst.toFixed(2)} mm in “${worstPose}”.`, measured: Math.round(worst * 100) / 100 });
    }
    const rms = Math.sqrt(squares / Math.max(1, deformer.vertices * posed.length));
    const round = (x: number) => Math.round(x * 1000) / 1000;
    return {
      measures: [
        { name: 'influences', unit: '', source: before, result: Math.min(before, most) },
        { name: 'vertices over the limit', unit: '', source: changed, result: 0 },
        { name: 'largest shift in poses', unit: 'mm', source: 0, result: round(worst) },
        { name: 'RMS shift in poses', unit: 'mm', source: 0, result: round(rms) },
      ],
      findings,
    };
  },
});

const ALPHA_MODE = v.picklist(['OPAQUE', 'MASK', 'BLEND']);
const materialsStep = defineStep({
  id: 'materials.transparency', station: 'materials', title: 'Transparency and sides', version: 1, needs: ['S3'],
  settings: v.object({
    /** Material name → alpha mode set by hand. */
    alphaModes: v.optional(v.record(v.string(), ALPHA_MODE), {}),
    /** Material name → drawn from both sides, set by hand. */
    doubleSided: v.optional(v.record(v.string(), v.boolean()), {}),
  }),
  applies: (document) => document.getRoot().listMaterials().length > 0,
  async run(document, settings, target, context) {
    const { decisions, found } = await planAlpha(document, target.materials, context.images, (fraction) => context.progress(fraction, 'looking at alpha'));
    const findings: Finding[] = [];
    const count = (mode: string) => document.getRoot().listMaterials().filter((material) => material.getAlphaMode() === mode).length;
    const before = { blend: count('BLEND'), mask: count('MASK') };
    for (const decision of decisions) {
      const { material } = decision;
      const name = material.getName();
      const mode = settings.alphaModes[name] ?? decision.alphaMode;
      const was = material.getAlphaMode();
      if (mode !== was) findings.push({ code: 'materials.alpha', severity: 'info', message: `“${name}” goes from ${word(was)} to ${word(mode)}: ${settings.alphaModes[name] ? 'set by hand' : decision.why}.`, where: name, measured: found.get(material)?.pattern });
      material.setAlphaMode(mode);
      if (mode === 'MASK') material.setAlphaCutoff(decision.alphaCutoff);
      material.setDoubleSided(settings.doubleSided[name] ?? decision.doubleSided);
    }
    return { measures: [{ name: 'blended materials', unit: '', source: before.blend, result: count('BLEND') }, { name: 'cut-out materials', unit: '', source: before.mask, result: count('MASK') }], findings };
  },
});
const word = (mode: string): string => ({ OPAQUE: 'opaque', MASK: 'cut-out', BLEND: 'blended' })[mode] ?? mode;

const texturesStep = defineStep({
  id: 'textures.fit', station: 'textures', title: 'Sizes and formats', version: 1, needs: ['T1', 'T3'],
  settings: v.object({ maxSize: v.optional(v.pipe(v.number(), v.integer(), v.minValue(16), v.maxValue(16_384))), sizes: v.optional(v.record(v.string(), v.pipe(v.number(), v.integer(), v.minValue(16), v.maxValue(16_384))), {}) }),
  applies: (document) => document.getRoot().listTextures().length > 0,
  async run(document, settings, target) {
    const textures = document.getRoot().listTextures();
    const memory = () => textures.reduce((sum, texture) => sum + textureMemory(textureState(texture)), 0) / 1048576;
    const before = memory();
    const maxMemory = target.textures.maxMemoryMB === undefined ? undefined : target.textures.maxMemoryMB * 1048576;
    const plans = planTextures(document, { maxSize: settings.maxSize ?? target.textures.maxSize, sizes: { ...target.textures.sizes, ...settings.sizes }, formats: target.textures.formats, maxMemory });
    applyTexturePlan(plans);
    const resized = plans.filter((plan) => plan.from.width !== plan.to.width || plan.from.height !== plan.to.height).length;
    const round = (x: number) => Math.round(x * 10) / 10;
    return {
      measures: [{ name: 'texture memory', unit: 'MB', source: round(before), result: round(memory()) }, { name: 'maps resized', unit: '', source: 0, result: resized }],
      findings: [],
    };
  },
});

const reduceStep = defineStep({
  id: 'reduce.simplify', station: 'reduce', title: 'Triangles to budget', version: 2, needs: ['R1', 'R2', 'R5'],
  settings: v.object({
    /** Triangles for the whole; the target's limit where not given. */
    triangles: v.optional(v.pipe(v.number(), v.integer(), v.minValue(1))),
    /** Part id → triangles, set by hand. */
    parts: v.optional(v.record(v.string(), v.pipe(v.number(), v.integer(), v.minValue(0))), {}),
    importance: v.optional(v.record(v.string(), v.pipe(v.number(), v.minValue(0), v.maxValue(100))), {}),
  }),
  applies: () => true,
  async run(document, settings, target, context) {
    const parts = listParts(document);
    const before = parts.reduce((sum, part) => sum + part.triangles, 0);
    const vertices = parts.reduce((sum, part) => sum + part.vertices, 0);
    const budget = Math.min(settings.triangles ?? target.triangles.max, before);
    const rows = shareBudget(parts, budget, settings.parts, settings.importance);
    const { parts: reduced, findings } = await simplifyParts(document, budgetById(rows), SIMPLIFY_DEFAULTS, context.progress, context.signal);
    const after = listParts(document);
    const measures: Measure[] = [
      { name: 'triangles', unit: '', source: before, result: after.reduce((sum, part) => sum + part.triangles, 0) },
      { name: 'vertices', unit: '', source: vertices, result: after.reduce((sum, part) => sum + part.vertices, 0) },
      ...reduced.map((row) => ({ name: `triangles of ${row.id}`, unit: '', source: row.from, result: row.to })),
    ];
    return { measures, findings };
  },
});

/** Every step there is, in the order in which a recipe runs them. */
export const STEPS: readonly StepDefinition[] = [standStep, skeletonStep, weightsStep, materialsStep, texturesStep, reduceStep] as unknown as readonly StepDefinition[];
export const stepById = (id: string): StepDefinition | undefined => STEPS.find((step) => step.id === id);
