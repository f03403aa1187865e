/** Wrong usage: exit code 2. */
export class UsageError extends Error {}

export const HELP = {
  all: `
dimetra convert INPUT --target T --out DIR [--recipe R] [--json]
dimetra inspect INPUT [--json]
dimetra compare A B [--json] [--samples N]
`,
  convert: `dimetra convert INPUT --target T --out DIR [--recipe R] [--json]

Converts one character for a delivery target and writes the package into DIR.
  INPUT      .glb, .vrm, or .gltf, .dae, .obj with their files beside them, .bvh, a folder, or a ZIP archive
  --target   id of a shipped target (bridge-close-up, headset-deck, quayside-crowd,
             browser-viewer, vrm-humanoid) or a JSON file
  --recipe   a JSON file with the steps and their settings; every step with the
             target's defaults where not given
  --json     one JSON document on standard output; progress stays on standard error
Exit codes: 0 done, 2 wrong usage, 3 input can't be read, 4 done but a check blocks
delivery, 5 internal.
`,
  inspect: `dimetra inspect INPUT [--json]

Lists what a character is made of and what was found wrong with it.
Exit codes: 0 done, 2 wrong usage, 3 input can't be read, 5 internal.
`,
  compare: `dimetra compare A B [--json] [--samples N]

Measures how far character B is from character A: at rest, in every morph, in the
poses of the range of motion; colours and inventory. --samples: points on each
surface, default 20000.
`,
} as const;
