import type { Finding } from '../../problem.ts';
import { type VrmMeta, vrmMetaOf } from '../../targets/index.ts';
import type { VrmGiven } from './given.ts';

/** The licence that the standard itself offers, whose fields say what is allowed. */
const LICENCE = 'https://vrm.dev/licenses/1.0/';
const NOBODY = 'Not stated';

/** What a VRM 0.x file said of its licence, in the words of 1.0; what it left open stays so. */
function oldMetaOf(old: Record<string, unknown>): VrmMeta {
  const allowed = (value: unknown) => (value === 'Allow' ? true : value === 'Disallow' ? false : undefined),
    who: Record<string, VrmMeta['avatarPermission']> = {
      OnlyAuthor: 'onlyAuthor',
      ExplicitlyLicensedPerson: 'onlySeparatelyLicensedPerson',
      Everyone: 'everyone',
    };
  return vrmMetaOf({
    version: old.version || undefined,
    authors: old.author ? [old.author] : undefined,
    contactInformation: old.contactInformation || undefined,
    references: old.reference ? [old.reference] : undefined,
    otherLicenseUrl: old.otherLicenseUrl || undefined,
    avatarPermission: who[String(old.allowedUserName)],
    allowExcessivelyViolentUsage: allowed(old.violentUssageName),
    allowExcessivelySexualUsage: allowed(old.sexualUssageName),
    commercialUsage: allowed(old.commercialUssageName) ? 'personalProfit' : undefined,
  });
}

/** Authors and licence: what the target says, else what came with the figure, else the strictest there is. */
export function metaFor({ title, meta, kept, copyright }: VrmGiven): { meta: object; doubts: Finding[] } {
  const came = kept?.meta ? (kept.version === '1.0' ? vrmMetaOf(kept.meta) : oldMetaOf(kept.meta)) : {},
    said = { ...came, ...meta },
    doubts: Finding[] = [];
  if (!said.authors?.length)
    doubts.push({
      code: 'vrm.no-author',
      severity: 'warning',
      message: `VRM wants to know who made the figure, and nothing says so: “${copyright ?? NOBODY}” is written. Name the authors in the target.`,
    });
  return {
    meta: {
      name: title,
      licenseUrl: LICENCE,
      ...said,
      authors: said.authors?.length ? said.authors : [copyright ?? NOBODY],
    },
    doubts,
  };
}
