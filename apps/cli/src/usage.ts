/** Wrong usage: exit code 2. */
export class UsageError extends Error {}

export const HELP = {
  all: `
dimetra convert INPUT --target T --out DIR [--recipe R] [--by NAME] [--figure F] [--main M] [--json]
dimetra convert INPUT... --target T... --out DIR [--jobs N] [--junit FILE] [--baseline FILE] ...
dimetra inspect INPUT [--landmarks] [--json]
dimetra compare A B [--json] [--samples N]
dimetra check FILE --target T [--json]
dimetra learn INPUT [--as figure|target] [--title T] [--id ID] [--out FILE]
`,
  convert: `dimetra convert INPUT --target T --out DIR [--recipe R] [--by NAME] [--figure F] [--main M] [--json]
dimetra convert INPUT... --target T... --out DIR [--jobs N] [--junit FILE] [--baseline FILE] ...

Converts a character for a delivery target and writes the package into DIR; of a folder
or archive with several, each into a folder of its name in DIR.
With several inputs or targets, or with --jobs, --junit or --baseline, all characters are
converted for all targets, each into DIR/CHARACTER/TARGET; what lies there already, made
of the same, stays. No database and no network are needed.
  INPUT      .glb, .vrm, .usdz, or .gltf, .dae, .obj, .usd(a, c) with their files beside them, .bvh, a folder, or a ZIP archive
  --target   id of a shipped target (bridge-close-up, headset-deck, quayside-crowd,
             browser-viewer, vrm-humanoid, tessel-figure, corvane-figure,
             h-anim-figure) or a JSON file
  --recipe   a JSON file with the steps and their settings; every step with the
             target's defaults where not given; one that was kept and exported is
             named in the report
  --by       who asks, for the report
  --figure   a figure with its skin, as learn or the Figures page writes it (.zip), for
             targets that name it; may be given several times
  --main     of an input with several characters, the model that is wanted, by its path
  --jobs     as many cores, a conversion at once on each; all, as far as memory goes, where not given
  --junit    all rules as tests, in the XML that build servers read
  --baseline what rules measured, written where FILE isn't there; where it is, numbers may
             be as much worse as it says under drift
  --json     one JSON document on standard output; progress stays on standard error;
             of several characters { schema, characters, failed }, of a batch
             { schema, cells, failed }
Exit codes: 0 done, 2 wrong usage, 3 input can't be read, 4 done but a check blocks
delivery or is worse than the baseline allows, 5 internal.
`,
  inspect: `dimetra inspect INPUT [--landmarks] [--json]

Lists what a character is made of and what was found wrong with it; of a folder or
archive with several, each. --landmarks finds crown, eyes, nose, chin, crotch, armpits,
wrists, finger tips, toes and heels by the shape alone, upright, in metres.
Exit codes: 0 done, 2 wrong usage, 3 input can't be read, 5 internal.
`,
  compare: `dimetra compare A B [--json] [--samples N]

Measures how far character B is from character A: at rest, in every morph, in the
poses of the range of motion; colours and inventory. --samples: points on each
surface, default 20000.
Of two report.json of packages: what the second says otherwise than the first.
`,
  check: `dimetra check FILE --target T [--json]

Judges a delivery, made here or elsewhere: FILE is a .glb, .vrm, .usdz, a .gltf, .usda, .dae or .obj with its
files beside it, a package's folder or its archive. Every rule of the target that needs no
source, and the delivered bytes as other code opens them; a report.json of ours beside
the model is held against it.
Exit codes: 0 nothing blocks, 2 wrong usage, 3 input can't be read, 4 a rule blocks,
5 internal.
`,
  learn: `dimetra learn INPUT [--as figure|target] [--title T] [--id ID] [--out FILE]

Learns a figure from a sample: its joints with roles, parents, places and orientation,
the names of its parts, materials and morphs. The JSON goes to FILE or to standard
output; a delivery target takes it as joints.figure. Where FILE ends in .zip, its skin
(polygons, texture places, weights) goes along, for targets with fit.body.
With --as target a delivery target is learned: every limit from what the sample needs,
its joints as the figure; what it was taken from, and what is left to ask, is told on
standard error.
`,
} as const;
