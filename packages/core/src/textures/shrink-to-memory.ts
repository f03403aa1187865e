import type { Texture } from '@gltf-transform/core';
import { textureMemory } from '../pixels/index.ts';
import { halve, LEAST, longest, lossAt, memoryOf, type SizeReason, texels, type TexturePlan } from './texture-plan.ts';

/**
 * Halves maps until the memory fits: each time the one of which least is missed for the memory it gives. Where nothing is
 * known of that, the largest, data before normals before colour.
 */
export function shrinkToMemory(plans: TexturePlan[], most: number, losses: ReadonlyMap<Texture, Float64Array>): void {
  const before = new Map<TexturePlan, Before[]>(),
    price = (plan: TexturePlan): number => {
      const loss = losses.get(plan.texture);
      return loss ? (lossAt(loss, plan, 1) - lossAt(loss, plan)) / texels(plan.to) : Infinity;
    };
  while (memoryOf(plans) > most) {
    const left = plans.filter((plan) => longest(plan.to) > LEAST);
    if (!left.length) break;
    const largest = Math.max(...left.map((plan) => longest(plan.to))),
      priced = left.map((plan) => ({ plan, price: price(plan) })).filter((one) => one.price < Infinity),
      next = priced.length
        ? // Of those that are missed as little, the one that gives most.
          priced.reduce((a, b) =>
            b.price < a.price || (b.price === a.price && texels(b.plan.to) > texels(a.plan.to)) ? b : a,
          ).plan
        : left
            .filter((plan) => longest(plan.to) === largest)
            .reduce((a, b) => (ORDER[b.content] < ORDER[a.content] ? b : a));
    const { to, reason } = next;
    before.set(next, [...(before.get(next) ?? []), { width: to.width, height: to.height, reason }]);
    halve(next, 'memory');
  }
  giveBack(before, most - memoryOf(plans), losses);
}
const ORDER = { data: 0, normal: 1, color: 2 };
interface Before {
  width: number;
  height: number;
  reason: SizeReason;
}

/** What the last halvings gave beyond what was needed goes back to the maps that are missed most. */
function giveBack(
  halved: ReadonlyMap<TexturePlan, Before[]>,
  free: number,
  losses: ReadonlyMap<Texture, Float64Array>,
): void {
  for (let left = free; ; ) {
    let best: { plan: TexturePlan; back: Before; gain: number; needs: number } | null = null;
    for (const [plan, sizes] of halved) {
      const back = sizes.at(-1),
        loss = losses.get(plan.texture);
      if (!back || !loss) continue;
      const needs = textureMemory(back) - textureMemory(plan.to),
        gain = lossAt(loss, plan) - lossAt(loss, { from: plan.from, to: back });
      if (needs <= left && gain > (best?.gain ?? 0)) best = { plan, back, gain, needs };
    }
    if (!best) return;
    const { plan, back } = best;
    halved.get(plan)?.pop();
    plan.to.width = back.width;
    plan.to.height = back.height;
    plan.reason = back.reason;
    left -= best.needs;
  }
}
