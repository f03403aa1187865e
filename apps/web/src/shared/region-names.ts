import { REGIONS, type Region } from '@dimetra/core';

export const EVERY_REGION: readonly (Region | 'all')[] = ['all', ...REGIONS];

/** Regions as they are written. */
export const REGION_NAMES = Object.fromEntries(
  EVERY_REGION.map((region) => [region, region === 'all' ? 'Whole' : region[0].toUpperCase() + region.slice(1)]),
) as Record<Region | 'all', string>;
