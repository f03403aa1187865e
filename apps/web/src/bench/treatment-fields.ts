import type { Treatment, TreatmentChannels } from '@dimetra/core';

/** One number of a treatment: where it stands, what it is called, and what it can be. */
export interface TreatmentNumber {
  channel: keyof TreatmentChannels;
  /** Field within the channel; none where the channel is the number. */
  field?: string;
  label: string;
  says: string;
  most: number;
  least?: number;
  step: number;
}

export const TREATMENT_NUMBERS: readonly TreatmentNumber[] = [
  {
    channel: 'roughness',
    field: 'least',
    label: 'Roughness at least',
    says: 'Nothing shines more.',
    most: 1,
    step: 0.05,
  },
  { channel: 'roughness', field: 'most', label: 'Roughness at most', says: 'Nothing is duller.', most: 1, step: 0.05 },
  { channel: 'roughness', field: 'times', label: 'Roughness ×', says: 'Before it is held.', most: 10, step: 0.1 },
  {
    channel: 'metalness',
    field: 'most',
    label: 'Metalness at most',
    says: '0 where it is no metal.',
    most: 1,
    step: 0.05,
  },
  { channel: 'normal', field: 'times', label: 'Bumps ×', says: 'Depth of the normal map.', most: 10, step: 0.1 },
  { channel: 'color', field: 'brightness', label: 'Brightness ×', says: 'In linear light.', most: 10, step: 0.05 },
  { channel: 'color', field: 'saturation', label: 'Saturation ×', says: '0 is grey.', most: 10, step: 0.05 },
  {
    channel: 'specular',
    field: 'strength',
    label: 'Reflection',
    says: 'Of what is no metal; 1 is usual.',
    most: 1,
    step: 0.05,
  },
  { channel: 'ior', label: 'Index of refraction', says: '1.5 is usual, 1.38 water.', least: 1, most: 4, step: 0.01 },
  { channel: 'clearcoat', field: 'strength', label: 'Clear coat', says: 'Lacquer, wetness.', most: 1, step: 0.05 },
  { channel: 'clearcoat', field: 'roughness', label: 'Roughness of the coat', says: '', most: 1, step: 0.05 },
  {
    channel: 'secondHighlight',
    field: 'strength',
    label: 'Second highlight',
    says: 'Of strands; glTF has no place for it: MaterialX and manifest carry it.',
    most: 1,
    step: 0.05,
  },
  {
    channel: 'secondHighlight',
    field: 'degrees',
    label: 'Along strands by, °',
    says: 'From the first highlight.',
    least: -45,
    most: 45,
    step: 1,
  },
  {
    channel: 'lightThrough',
    field: 'strength',
    label: 'Light from behind',
    says: 'Through strands; glTF has no place for it: MaterialX and manifest carry it.',
    most: 1,
    step: 0.05,
  },
  {
    channel: 'shade',
    field: 'strength',
    label: 'Shade of what is around',
    says: 'Occlusion, measured with the mouth open.',
    most: 1,
    step: 0.05,
  },
  {
    channel: 'shade',
    field: 'color',
    label: 'Shade in its colours',
    says: 'For engines whose lamps shine into mouths.',
    most: 1,
    step: 0.05,
  },
  {
    channel: 'anisotropy',
    field: 'strength',
    label: 'Highlights along strands',
    says: 'Anisotropy.',
    most: 1,
    step: 0.05,
  },
  {
    channel: 'anisotropy',
    field: 'degrees',
    label: 'Turned by, °',
    says: 'From the texture’s u.',
    least: -360,
    most: 360,
    step: 5,
  },
];
/** What comes with the first number of a channel, and the field without which there is no such channel. */
const NEEDS: Partial<Record<keyof TreatmentChannels, Record<string, unknown>>> = {
  color: { strength: 1 },
  clearcoat: { strength: 1, roughness: 0 },
  anisotropy: { strength: 0.5, degrees: 0, acrossStrands: false },
  shade: { strength: 1, color: 0 },
  secondHighlight: { strength: 0.5, color: [1, 1, 1], degrees: 8 },
  lightThrough: { strength: 0.5, color: [1, 0.9, 0.75] },
};
const MAIN: Partial<Record<keyof TreatmentChannels, string>> = {
  normal: 'times',
  specular: 'strength',
  clearcoat: 'strength',
  anisotropy: 'strength',
  shade: 'strength',
  secondHighlight: 'strength',
  lightThrough: 'strength',
};

type Fields = Record<string, unknown>;

export function numberIn({ channels }: Treatment, { channel, field }: TreatmentNumber): number | undefined {
  const held = channels[channel] as Fields | number | undefined;
  return typeof held === 'object' ? (field ? (held[field] as number | undefined) : undefined) : held;
}

/** A treatment with a number set, or without it; a channel of which nothing is left goes. */
export function withNumber(
  treatment: Treatment,
  { channel, field }: Pick<TreatmentNumber, 'channel' | 'field'>,
  value: number | undefined,
): Treatment {
  const { [channel]: held, ...others } = treatment.channels as Record<string, Fields | number | undefined>;
  if (!field)
    return {
      ...treatment,
      channels: (value === undefined ? others : { ...others, [channel]: value }) as TreatmentChannels,
    };
  const { [field]: _, ...rest } = (held as Fields | undefined) ?? {};
  if (value !== undefined)
    return {
      ...treatment,
      channels: { ...others, [channel]: { ...NEEDS[channel], ...rest, [field]: value } } as TreatmentChannels,
    };
  // How far a tint goes says nothing where there is none.
  const left = field !== MAIN[channel] && Object.keys(rest).some((key) => !(channel === 'color' && key === 'strength'));
  return { ...treatment, channels: (left ? { ...others, [channel]: rest } : others) as TreatmentChannels };
}

/** A tint, or none. @param hex `#rrggbb` */
export function withTint(treatment: Treatment, hex: string, strength?: number): Treatment {
  const { color, ...others } = treatment.channels,
    found = /^#([0-9a-f]{2})([0-9a-f]{2})([0-9a-f]{2})$/i.exec(hex);
  const { tint: _, ...rest } = color ?? { strength: 1 };
  const next = found
    ? {
        ...rest,
        strength: strength ?? color?.strength ?? 1,
        tint: found.slice(1).map((part) => Number.parseInt(part, 16) / 255) as [number, number, number],
      }
    : rest;
  return {
    ...treatment,
    channels: Object.keys(next).some((key) => key !== 'strength') ? { ...others, color: next } : others,
  };
}
export const tintOf = ({ channels }: Treatment): string => {
  const tint = channels.color?.tint;
  return tint
    ? `#${tint
        .map((value) =>
          Math.round(value * 255)
            .toString(16)
            .padStart(2, '0'),
        )
        .join('')}`
    : '';
};

/** Whether highlights are turned by the strands of the map. */
export const withAcrossStrands = (treatment: Treatment, acrossStrands: boolean): Treatment =>
  treatment.channels.anisotropy
    ? {
        ...treatment,
        channels: { ...treatment.channels, anisotropy: { ...treatment.channels.anisotropy, acrossStrands } },
      }
    : treatment;

/** Whether a highlight painted into the map goes. */
export function withoutPaintedHighlight(treatment: Treatment, goes: boolean): Treatment {
  const { noHighlight: _, ...rest } = treatment.channels.color ?? { strength: 1 },
    color = goes ? { ...rest, noHighlight: true } : rest,
    { color: __, ...others } = treatment.channels;
  return {
    ...treatment,
    channels: Object.keys(color).some((key) => key !== 'strength') ? { ...others, color } : others,
  };
}

/** What can be copied from one treatment to another: a whole channel, or one number of it. */
export interface TreatmentPiece {
  key: string;
  label: string;
}

const CHANNEL_WORDS: Record<keyof TreatmentChannels, string> = {
  roughness: 'Roughness',
  metalness: 'Metalness',
  normal: 'Bumps',
  color: 'Colour',
  specular: 'Reflection',
  ior: 'Refraction',
  clearcoat: 'Clear coat',
  sheen: 'Sheen',
  shade: 'Shade of what is around',
  secondHighlight: 'Second highlight',
  lightThrough: 'Light from behind',
  anisotropy: 'Highlights along strands',
};

/** What of a treatment can be copied: its channels, and the numbers of those that have several. */
export function piecesOf(treatment: Treatment): TreatmentPiece[] {
  return (Object.keys(treatment.channels) as (keyof TreatmentChannels)[]).flatMap((channel) => {
    const held = treatment.channels[channel];
    if (held === undefined) return [];
    const numbers = TREATMENT_NUMBERS.filter(
        (number) => number.channel === channel && number.field && numberIn(treatment, number) !== undefined,
      ).map((number) => ({ key: `${channel}.${number.field}`, label: number.label })),
      tint = channel === 'color' && tintOf(treatment) ? [{ key: 'color.tint', label: 'Tint' }] : [],
      parts = [...tint, ...numbers];
    return [{ key: channel, label: `${CHANNEL_WORDS[channel]}, all of it` }, ...(parts.length > 1 ? parts : [])];
  });
}

/** `to` with pieces of `from` in the place of its own; what else it says stays. */
export function withPieces(to: Treatment, from: Treatment, keys: readonly string[]): Treatment {
  return keys.reduce((treatment, key) => {
    const [channel, field] = key.split('.') as [keyof TreatmentChannels, string | undefined],
      held = from.channels[channel];
    if (held === undefined) return treatment;
    if (!field) return { ...treatment, channels: { ...treatment.channels, [channel]: held } };
    if (field === 'tint') return withTint(treatment, tintOf(from), from.channels.color?.strength);
    return withNumber(treatment, { channel, field }, (held as Fields)[field] as number | undefined);
  }, to);
}
