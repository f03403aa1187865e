import { createTheme, type CSSVariablesResolver, type MantineColorsTuple } from '@mantine/core';

const slate: MantineColorsTuple = ['#e8e6df', '#cfd3d4', '#a3adb4', '#6f7a82', '#3a454d', '#2d363e', '#28313a', '#1f262c', '#171d22', '#11161a'];
const copper: MantineColorsTuple = ['#fbefe6', '#f1d8c5', '#e7bd9d', '#dea57a', '#d68f5c', '#c27c4a', '#a4673c', '#87532f', '#6d4a33', '#4a2f1f'];
const verdigris: MantineColorsTuple = ['#e6f6f2', '#c7e8e0', '#a3d8cc', '#7ecab9', '#5cbaa6', '#48a18e', '#388374', '#2f6c60', '#285a52', '#193a35'];
const ivory: MantineColorsTuple = ['#fbf8f0', '#f7f3e6', '#efe8d8', '#efe8d8', '#efe8d8', '#e2d9c3', '#cfc4a8', '#b3a788', '#8d8268', '#5f5745'];

export const theme = createTheme({
  colors: { dark: slate, copper, verdigris, ivory },
  primaryColor: 'ivory',
  primaryShade: 3,
  autoContrast: true,
  luminanceThreshold: 0.4,
  fontFamily: "'Instrument Sans Variable', system-ui, sans-serif",
  fontFamilyMonospace: "'Red Hat Mono Variable', ui-monospace, monospace",
  defaultRadius: 7,
  fontSizes: { xs: '12px', sm: '13.5px', md: '14.5px', lg: '16px', xl: '19px' },
  headings: { fontFamily: "'Instrument Sans Variable', system-ui, sans-serif", fontWeight: '600' },
  cursorType: 'pointer',
  respectReducedMotion: true,
});

/** Names that every view speaks in, so that a colour is said once for each scheme. */
export const variables: CSSVariablesResolver = () => ({
  variables: {},
  dark: {
    '--ground': '#11161a', '--bench': '#171d22', '--raised': '#1f262c', '--raised-more': '#28313a', '--rule': '#2d363e', '--ink': '#e8e6df', '--ink-2': '#a3adb4', '--ink-3': '#7f8b93',
    '--source': '#d68f5c', '--source-2': '#6d4a33', '--result': '#5cbaa6', '--result-2': '#285a52', '--attention': '#e2c35a', '--blocked': '#ee7763', '--done': '#efe8d8', '--stage-a': '#4b5157', '--stage-b': '#2a3036',
    '--map-ink': '#f2efe6', '--mantine-color-body': '#11161a', '--mantine-color-text': '#e8e6df', '--mantine-color-dimmed': '#a3adb4', '--mantine-color-default-border': '#2d363e',
  },
  light: {
    '--ground': '#e9e5da', '--bench': '#f6f3ea', '--raised': '#fffdf7', '--raised-more': '#ebe6d9', '--rule': '#cdc7b6', '--ink': '#1d2327', '--ink-2': '#4f5a62', '--ink-3': '#6b757c',
    '--source': '#9a521f', '--source-2': '#dfb898', '--result': '#17695a', '--result-2': '#a5d3c8', '--attention': '#8a6a00', '--blocked': '#b3341f', '--done': '#3b4248', '--stage-a': '#b9bbb9', '--stage-b': '#8d9294',
    '--map-ink': '#1d2327',
    // On paper the main action is ink, on slate it is ivory.
    '--mantine-primary-color-filled': '#2a3238', '--mantine-primary-color-filled-hover': '#3b4248', '--mantine-color-ivory-filled': '#2a3238', '--mantine-color-body': '#f6f3ea', '--mantine-color-text': '#1d2327', '--mantine-color-dimmed': '#4f5a62',
  },
});
