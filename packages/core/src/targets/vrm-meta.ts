import * as v from 'valibot';

const text = v.pipe(v.string(), v.minLength(1), v.maxLength(500));
const texts = v.pipe(v.array(text), v.maxLength(50));

/** Who made an avatar and what others may do with it: VRM 1.0, VRMC_vrm meta, in that standard's own words. */
export const VrmMetaSchema = v.object({
  version: v.optional(text),
  authors: v.optional(texts),
  copyrightInformation: v.optional(text),
  contactInformation: v.optional(text),
  references: v.optional(texts),
  thirdPartyLicenses: v.optional(text),
  licenseUrl: v.optional(text),
  otherLicenseUrl: v.optional(text),
  avatarPermission: v.optional(v.picklist(['onlyAuthor', 'onlySeparatelyLicensedPerson', 'everyone'])),
  allowExcessivelyViolentUsage: v.optional(v.boolean()),
  allowExcessivelySexualUsage: v.optional(v.boolean()),
  commercialUsage: v.optional(v.picklist(['personalNonProfit', 'personalProfit', 'corporation'])),
  allowPoliticalOrReligiousUsage: v.optional(v.boolean()),
  allowAntisocialOrHateUsage: v.optional(v.boolean()),
  creditNotation: v.optional(v.picklist(['required', 'unnecessary'])),
  allowRedistribution: v.optional(v.boolean()),
  modification: v.optional(v.picklist(['prohibited', 'allowModification', 'allowModificationRedistribution'])),
});
export type VrmMeta = v.InferOutput<typeof VrmMetaSchema>;

/** The fields that are understood; each that isn't is lost alone. */
export function vrmMetaOf(value: unknown): VrmMeta {
  const out: Record<string, unknown> = {};
  if (typeof value === 'object' && value)
    for (const [field, schema] of Object.entries(VrmMetaSchema.entries)) {
      const said = (value as Record<string, unknown>)[field],
        parsed = said === undefined || said === null ? null : v.safeParse(schema, said);
      if (parsed?.success) out[field] = parsed.output;
    }
  return out;
}
