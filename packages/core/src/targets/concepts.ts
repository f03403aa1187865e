/**
 * What a face can do, told twice: by the words that name it, in English, German, French and Spanish without accents, and
 * by where which way the skin moves. Sides are told apart beside it.
 */
export interface Concept {
  /** Sets of words, all of which a name has to have. */
  called: readonly (readonly RegExp[])[];
  /** A word that says it where it is all there is of a name: a single letter in a longer one is a side or a number. */
  alone?: RegExp;
  /** Movement of places of the face that it shows in: see {@link FEATURES}; positive as the place's name says. */
  like?: Readonly<Partial<Record<Feature, number>>>;
}

/** Places of the face and the way they are asked about. Up, outwards, forward; lids up, lips apart. */
export const FEATURES = [
  'lid',
  'browInner',
  'browOuter',
  'cornerOut',
  'cornerUp',
  'lipsApart',
  'chinUp',
  'lipsForward',
  'cheekOut',
  'wingUp',
] as const;
export type Feature = (typeof FEATURES)[number];

const w = (...words: string[]) => new RegExp(`^(${words.join('|')})$`);
const brow = w('brow', 'brows', 'eyebrow', 'braue', 'brauen', 'sourcil', 'sourcils', 'ceja', 'cejas'),
  up = w('up', 'raise', 'raised', 'raiser', 'lift', 'hoch', 'heben', 'leve', 'haut', 'arriba', 'levantar'),
  down = w('down', 'lower', 'lowered', 'lowerer', 'furrow', 'runter', 'senken', 'baisse', 'bas', 'abajo', 'bajar'),
  eye = w(
    'eye',
    'eyes',
    'lid',
    'lids',
    'eyelid',
    'auge',
    'augen',
    'lider',
    'oeil',
    'yeux',
    'paupiere',
    'ojo',
    'ojos',
    'parpado',
  ),
  gaze = w('gaze', 'look', 'eyelook', 'blick', 'schauen', 'regard', 'mirada', 'mirar'),
  jaw = w('jaw', 'mouth', 'kiefer', 'mund', 'machoire', 'bouche', 'mandibula', 'boca'),
  cheek = w('cheek', 'cheeks', 'wange', 'wangen', 'joue', 'joues', 'mejilla', 'mejillas'),
  lips = w('lip', 'lips', 'mouth', 'lippen', 'mund', 'levres', 'bouche', 'labios', 'boca'),
  says = w('say', 'says', 'viseme', 'phoneme', 'mouth', 'laut', 'lippenlaut');

/** A sound: two letters and more wherever they stand, one letter behind a word for speech or alone. */
const sound = (...letters: string[]) => {
  const clear = letters.filter((letter) => letter.length > 1);
  return {
    called: [[says, w(...letters)], ...(clear.length ? [[w(...clear)]] : [])],
    alone: w(...letters),
  };
};

export const CONCEPTS = {
  blink: {
    called: [
      [w('blink', 'wink', 'blinzeln', 'zwinkern', 'cligner', 'clin', 'parpadeo', 'guino')],
      [eye, w('close', 'closed', 'shut', 'zu', 'ferme', 'cerrado')],
    ],
    like: { lid: -1 },
  },
  eye_wide: { called: [[eye, w('wide', 'widen', 'open', 'weit', 'ouvert', 'abierto')]], like: { lid: 1 } },
  squint: { called: [[w('squint', 'squeeze', 'zusammenkneifen', 'plisser', 'entrecerrar')]] },
  brow_up: { called: [[brow, up]], like: { browInner: 1, browOuter: 1 } },
  brow_down: { called: [[brow, down]], like: { browInner: -1, browOuter: -0.6 } },
  worry: {
    called: [
      [w('worry', 'worried', 'sorge', 'inquiet', 'preocupado')],
      [brow, w('inner', 'innen', 'interieur', 'interior')],
    ],
    like: { browInner: 1, browOuter: 0.2 },
  },
  smile: {
    called: [[w('smile', 'smiling', 'grin', 'laecheln', 'lacheln', 'sourire', 'sonrisa')]],
    like: { cornerOut: 0.8, cornerUp: 1 },
  },
  frown: {
    called: [[w('frown', 'mundwinkel')], [lips, down], [w('sad', 'traurig', 'triste')]],
    like: { cornerUp: -1 },
  },
  pucker: {
    called: [[w('pucker', 'kiss', 'kuss', 'funnel', 'baiser', 'beso')]],
    like: { cornerOut: -1, lipsForward: 0.6 },
  },
  lips_wide: { called: [[lips, w('wide', 'stretch', 'breit', 'large', 'ancho')]], like: { cornerOut: 1 } },
  lips_thin: { called: [[lips, w('thin', 'press', 'pressed', 'tight', 'schmal', 'pince', 'apretado')]] },
  jaw_open: {
    called: [[jaw, w('open', 'drop', 'offen', 'auf', 'ouvert', 'ouverte', 'abierto', 'abierta')]],
    like: { chinUp: -1, lipsApart: 0.75, cornerUp: -0.5, lipsForward: -0.6 },
  },
  cheek_puff: { called: [[cheek, w('puff', 'blow', 'aufblasen', 'gonfler', 'inflar')]], like: { cheekOut: 1 } },
  cheek_raise: { called: [[cheek, up]] },
  sneer: {
    called: [
      [w('sneer', 'disgust', 'ekel', 'degout', 'asco')],
      [w('nose', 'nase', 'nez', 'nariz'), w('wrinkle', 'wrinkler', 'up', 'raise', 'ruempfen', 'plisser', 'arrugar')],
    ],
    like: { wingUp: 1 },
  },
  surprise: {
    called: [[w('surprise', 'surprised', 'ueberrascht', 'surpris', 'sorpresa', 'sorprendido')]],
  },
  angry: { called: [[w('angry', 'anger', 'wut', 'wuetend', 'colere', 'fache', 'enfado', 'enojado')]] },
  happy: { called: [[w('happy', 'joy', 'fun', 'freude', 'froh', 'joie', 'heureux', 'alegria', 'feliz')]] },
  sad: { called: [[w('sad', 'sorrow', 'trauer', 'traurig', 'tristesse', 'triste', 'tristeza')]] },
  relaxed: { called: [[w('relaxed', 'relax', 'calm', 'entspannt', 'detendu', 'relajado')]] },
  gaze_up: { called: [[gaze, up]] },
  gaze_down: { called: [[gaze, down]] },
  gaze_left: { called: [[gaze, w('left', 'l', 'links', 'gauche', 'izquierda')]] },
  gaze_right: { called: [[gaze, w('right', 'r', 'rechts', 'droite', 'derecha')]] },
  say_aa: sound('aa', 'ah', 'a'),
  say_ee: sound('ee', 'iy', 'i'),
  say_eh: sound('eh', 'e', 'er'),
  say_oh: sound('oh', 'o', 'ow'),
  say_oo: sound('oo', 'ou', 'u', 'uw', 'uh'),
  say_ih: sound('ih'),
  say_mm: sound('mm', 'mbp', 'pp', 'm', 'b', 'p'),
  say_ff: sound('ff', 'fv', 'f', 'v'),
  say_th: sound('th'),
  say_dd: sound('dd', 'td', 'd', 't', 'nn', 'n', 'll', 'l'),
  say_kk: sound('kk', 'k', 'g'),
  say_ch: sound('ch', 'sh', 'j'),
  say_ss: sound('ss', 's', 'z'),
  say_rr: sound('rr', 'r'),
  say_ww: sound('ww', 'w'),
} as const satisfies Record<string, Concept>;
export type ConceptId = keyof typeof CONCEPTS;
export const conceptOf = (id: ConceptId): Concept => CONCEPTS[id];
