import { wordsOf, type HumanoidRole, type JointRole } from '../character/index.ts';

export interface NameGuess {
  role: JointRole;
  /** 0 … 1: how telling the words are. */
  strength: number;
  words: string;
}

const LEFT = /^(l|left|lft|lt|links|linke|linker|gauche|izq|izquierda)$/;
const RIGHT = /^(r|right|rgt|rt|rechts|rechte|rechter|droite|droit|der|derecha)$/;
const FINGERS: [string, RegExp][] = [
  ['Thumb', /^(thumb|daumen|pouce|pollex)$/],
  ['Index', /^(index|pointer|forefinger|zeige|zeigefinger)$/],
  ['Middle', /^(middle|mid|mittel|mittelfinger|majeur)$/],
  ['Ring', /^(ring|ringfinger|annulaire)$/],
  ['Little', /^(little|pinky|pinkie|small|klein|auriculaire)$/],
];

/** Body words without a side, most telling first. Both tokens and neighbouring pairs run together are tried. */
const BODY: [string, RegExp, number][] = [
  ['upperChest', /^(upperchest|chesthigh|chestupper|spinetop|thoraxupper)$/, 1],
  ['chest', /^(chest|chestlow|chestlower|thorax|thoracic|dorsal|ribs|ribcage|brust|torse)$/, 0.9],
  ['hips', /^(hips|pelvis|hip|humanoidroot|becken|bassin)$/, 0.9],
  ['hips', /^(sacrum|sacral|sacroiliac|kreuzbein)$/, 0.7],
  ['spine', /^(spine|waist|waistbend|lumbar|abdomen|torso|wirbel|colonne|belly)$/, 0.8],
  ['neck', /^(neck|throat|cervix|cervical|necklow|necklower|hals|cou)$/, 0.95],
  ['head', /^(head|skullbase|skull|kopf|tete|cranium)$/, 0.95],
  ['jaw', /^(jaw|temporomandibular|mandible|kiefer|machoire|lowerjaw)$/, 1],
];
const LIMBS: [string, RegExp, number][] = [
  ['Eye', /^(eye|eyeballjoint|eyeball|auge|oeil)$/, 1],
  ['Toes', /^(toe|toes|toebase|ball|zehen|orteils|zehe)$/, 0.9],
  ['Foot', /^(foot|talocrural|ankle|tarsus|fuss|pied)$/, 0.95],
  ['LowerLeg', /^(shin|calf|knee|lowerleg|legbend|leglower|crus|tibia|unterschenkel|knie|genou|mollet)$/, 1],
  ['UpperLeg', /^(thigh|upperleg|upleg|legupper|femur|oberschenkel|cuisse|hipjoint)$/, 1],
  ['UpperLeg', /^hip$/, 0.6],
  ['Shoulder', /^(sternoclavicular|yoke|clavicle|clav|collar|shoulder|schulter|epaule|clavicula|scapula)$/, 0.9],
  ['LowerArm', /^(forearm|elbow|lowerarm|armlower|fore|ulna|radius|unterarm|ellbogen|coude|avantbras)$/, 1],
  ['UpperArm', /^(upperarm|uparm|armupper|humerus|oberarm|arm|bras)$/, 0.85],
  ['Hand', /^(hand|radiocarpal|wrist|manus|carpus|main|poignet)$/, 0.95],
];

/**
 * What a joint's name says about its role: case, digits and separators split, side words found, several
 * languages. `side` from the body's place stands in where the name has none.
 */
export function guessFromName(name: string, side: 'left' | 'right' | null): NameGuess | null {
  const words = wordsOf(name);
  const said = words.find((word) => LEFT.test(word)) ? 'left' : words.find((word) => RIGHT.test(word)) ? 'right' : null;
  const where = said ?? side;
  const letters = words.filter((word) => !/^\d+$/.test(word) && !LEFT.test(word) && !RIGHT.test(word));
  const joined = letters.slice(1).map((word, i) => letters[i] + word);
  const tokens = [...joined, ...letters];
  const number = Number(words.find((word) => /^\d+$/.test(word)) ?? Number.NaN);
  const has = (pattern: RegExp) => tokens.find((word) => pattern.test(word));
  const plain = (role: JointRole, strength: number, word: string): NameGuess => ({ role, strength, words: word });

  const other = has(/^(twist|roll|tw|bendtwist)$/);
  if (other) return plain('twist', 0.9, other);
  const end = has(/^(end|nub|tip|effector|leaf|site|ende)$/);
  if (end) return plain('end', 0.9, end);
  const tongue = has(/^(tongue|zunge|langue)$/);
  if (tongue) return plain('tongue', 1, tongue);
  const helper = has(/^(helper|muscle|corrective|socket|ik|pole|target|ctrl|attach|volume|pec|glute)$/);
  if (helper) return plain('helper', 0.85, helper);
  for (const [finger, pattern] of FINGERS) {
    const word = has(pattern);
    if (word && where && !has(/^(toe|toes|foot)$/)) return fingerGuess(finger, number, letters, where, word);
  }
  const face = has(
    /^(lid|eyelid|brow|cheek|lip|lips|nostril|nose|mouth|face|facial|ear|forehead|squint|chin|lidupper|lidlower)$/,
  );
  if (face) return plain('face', 0.85, face);
  for (const [role, pattern, strength] of LIMBS) {
    const word = has(pattern);
    if (word && where) return plain(`${where}${role}` as HumanoidRole, strength * (said ? 1 : 0.9), word);
  }
  const leg = has(/^(leg|bein|jambe)$/);
  if (leg && where) return plain(`${where}LowerLeg` as HumanoidRole, 0.45, leg);
  for (const [role, pattern, strength] of BODY) {
    const word = has(pattern);
    if (word) return plain(role as HumanoidRole, strength * (said ? 0.5 : 1), word);
  }
  const vertebra = letters.find((word) => /^v[lt]$/.test(word));
  // H-Anim counts vertebrae from above: five lumbar, twelve thoracic.
  if (vertebra === 'vl') return plain('spine', 0.4 + 0.08 * (number || 0), vertebra);
  if (vertebra === 'vt')
    return number > 6
      ? plain('chest', 0.8 - 0.05 * Math.abs(number - 10), vertebra)
      : plain('upperChest', 0.8 - 0.05 * (6 - (number || 6)), vertebra);
  if (letters.includes('vc')) return plain('neck', 0.5 + 0.05 * (number || 0), 'vc');
  const root = has(/^(root|armature|rig|skeleton|origin|world|master|reference|figure)$/);
  if (root) return plain('helper', 0.7, root);
  const prop = has(/^(prop|weapon|tool|bag|strap|hair|cloth|skirt|tail|headset|lanyard|vest)$/);
  if (prop) return plain('extra', 0.8, prop);
  return null;
}

function fingerGuess(finger: string, number: number, letters: string[], side: string, word: string): NameGuess {
  const segments = finger === 'Thumb' ? ['Metacarpal', 'Proximal', 'Distal'] : ['Proximal', 'Intermediate', 'Distal'];
  const said = segments.find((segment) => letters.includes(segment.toLowerCase()));
  if (!said && finger !== 'Thumb' && (letters.some((w) => /^(metacarpal|meta|carpal|palm)$/.test(w)) || number === 0))
    return { role: 'helper', strength: 0.6, words: word };
  const at = said ?? (number >= 1 && number <= 3 ? segments[number - 1] : null);
  return at
    ? { role: `${side}${finger}${at}` as HumanoidRole, strength: 1, words: word }
    : { role: `${side}${finger}${segments[0]}` as HumanoidRole, strength: 0.4, words: word };
}
