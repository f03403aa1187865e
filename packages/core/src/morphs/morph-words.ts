export const MORPH_KINDS = ['expression', 'viseme', 'corrective', 'build', 'identity', 'other'] as const;
export type MorphKind = (typeof MORPH_KINDS)[number];

/**
 * Words that tell what a morph is for, as English, German, French, Spanish, Italian and Portuguese have them, without
 * accents; matched against whole words of a name, most telling kind first.
 */
export const MORPH_WORDS: readonly [MorphKind, RegExp][] = [
  [
    'corrective',
    /^(corrective|correction|correctif|korrektur|correctivo|correttivo|corretivo|fix|bent|bend|flex|flexed|gebeugt|flechi|doblado|piegato|dobrado|combo)$/,
  ],
  [
    'viseme',
    /^(viseme|visemes|visem|visema|phoneme|phonem|fonema|say|says|laut|lippenlaut|parole|aa|ae|ah|ao|ih|iy|ou|oh|oo|ow|uw|uh|ee|eh|er|mm|mbp|ff|fv|th|dd|kk|ch|sh|ss|nn|rr|ll|ww|pp|sil)$/,
  ],
  [
    'build',
    /^(tall|height|taille|groesse|grosse|altura|altezza|short|heavy|schwer|lourd|pesado|pesante|thin|slim|duenn|dunn|mince|delgado|magro|fat|dick|gros|gordo|grasso|weight|gewicht|poids|peso|muscle|muscular|muskel|musculo|muscolo|build|statur|corpulence|stocky|belly|bauch|ventre|barriga|pancia|bust|busen|waist|hips)$/,
  ],
  [
    'expression',
    /^(blink|wink|smile|grin|frown|brow_up|squint|wide|gaze|look|puff|sneer|open|close|closed|surprise|surprised|angry|anger|happy|joy|fun|sad|sorrow|fear|disgust|relaxed|neutral|worry|wince|tired|pucker|kiss|funnel|raise|raised|lower|lowered|press|stretch|dimple|roll|shrug|expression|mimik|blinzeln|laecheln|lacheln|zwinkern|stirnrunzeln|offen|wut|freude|trauer|angst|cligner|clin|sourire|froncer|ouvert|ouvrir|colere|joie|tristesse|peur|surpris|parpadeo|guino|sonrisa|ceno|abrir|abierto|enfado|alegria|tristeza|miedo|sorpresa|ammicco|sorriso|broncio|aperto|rabbia|gioia|paura|piscar|aberto|raiva|medo|up|down)$/,
  ],
  [
    'identity',
    /^(identity|identitaet|identite|age|alter|alt|vieux|old|young|jung|jeune|broad|narrow|long|bridge|cheekbone|cheekbones|strong|hollow|jowls|shape|form|forme|forma|character|charakter|feminine|masculine|ethnic|large|small|size)$/,
  ],
];
