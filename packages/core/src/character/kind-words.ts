import type { MaterialKind } from './material-kind.ts';

/**
 * Words that name a kind, most telling first, as English, German, French, Spanish, Italian, Portuguese and Dutch have
 * them, without accents; matched against whole words of a name.
 */
export const KIND_WORDS: readonly [MaterialKind, RegExp][] = [
  ['cornea', /^(cornea|corneas|eyewet|refraction|hornhaut|cornee)$/],
  [
    'tear',
    /^(tear|tears|tearline|tearlines|lacrimal|waterline|eyemoisture|traene|traenen|larme|larmes|lagrima|lagrimas)$/,
  ],
  ['shade', /^(eyeocclusion|lidshade|eyeshade|eyeshadow|lidshadow|augenschatten|lidschatten)$/],
  ['lash', /^(lash|lashes|eyelash|eyelashes|wimper|wimpern|cils|pestana|pestanas|ciglia|cilios|wimpers)$/],
  [
    'brow',
    /^(brow|brows|eyebrow|eyebrows|braue|brauen|augenbraue|augenbrauen|sourcil|sourcils|ceja|cejas|sopracciglia|sobrancelha|sobrancelhas|wenkbrauw|wenkbrauwen)$/,
  ],
  ['scalp', /^(scalp|skullcap|haircap|kopfhaut|cuirchevelu|cuoiocapelluto)$/],
  [
    'beard',
    /^(beard|moustache|mustache|stubble|sideburns|goatee|bart|schnurrbart|barbe|barba|bigote|baffi|bigode|baard|snor)$/,
  ],
  [
    'hair',
    /^(hair|hairs|ponytail|fringe|bangs|haar|haare|cheveux|braid|braids|bun|pelo|cabello|capelli|cabelo|zopf|dreads|dreadlocks)$/,
  ],
  ['gums', /^(gum|gums|gingiva|zahnfleisch|gencive|gencives|encia|encias|gengiva|gengive|gengivas|tandvlees)$/],
  ['teeth', /^(teeth|tooth|mouth|zaehne|zahn|dents|dent|dientes|denti|dentes|tanden|mund)$/],
  ['tongue', /^(tongue|zunge|langue|lengua|lingua|tong)$/],
  [
    'nail',
    /^(nail|nails|fingernail|fingernails|toenail|toenails|nagel|naegel|fingernaegel|ongle|ongles|una|unas|unghie|unhas)$/,
  ],
  ['lips', /^(lip|lips|lippe|lippen|levre|levres|labios|labbra)$/],
  ['glass', /^(glass|lens|lenses|visor|goggles|reflector|glas|verre|vidrio|cristal|vetro|vidro|linse)$/],
  [
    'metal',
    /^(metal|steel|buckle|zip|zipper|chain|clip|brass|badge|metall|stahl|acier|acero|acciaio|schnalle|boucle|hebilla)$/,
  ],
  ['leather', /^(leather|belt|glove|gloves|leder|cuir|cuero|cuoio|couro|guertel|ceinture|handschuh|handschuhe)$/],
  [
    'rubber',
    /^(boot|boots|sole|soles|rubber|wellington|neoprene|drysuit|gummi|caoutchouc|goma|gomma|borracha|stiefel|bottes|botas)$/,
  ],
  [
    'plastic',
    /^(plastic|headset|earpiece|microphone|helmet|radio|plastik|kunststoff|plastique|plastico|plastica|helm|casque)$/,
  ],
  [
    'knit',
    /^(knit|knitwear|wool|sweater|jumper|beanie|sock|socks|strick|wolle|pullover|tricot|laine|lana|socken|chaussettes)$/,
  ],
  [
    'cloth',
    /^(cloth|fabric|jacket|trousers|pants|jeans|bib|shirt|shirts|tee|vest|lifevest|cap|hat|overall|overalls|waistcoat|lanyard|webbing|shorts|scarf|coat|hood|collar|suit|garment|outfit|clothes|clothing|shoe|shoes|dress|skirt|stoff|jacke|hose|hemd|weste|kleid|rock|mantel|muetze|schuhe|tissu|veste|pantalon|chemise|robe|jupe|manteau|chaussures|tela|camisa|chaqueta|falda|vestido|zapatos|tessuto|giacca|pantaloni|camicia|gonna|scarpe|tecido|casaco|calca|calcas|stof|jas|broek)$/,
  ],
  [
    'eye',
    /^(eye|eyes|iris|sclera|eyeball|eyeballs|pupil|auge|augen|augapfel|yeux|oeil|ojo|ojos|occhio|occhi|olho|olhos|oog|ogen)$/,
  ],
  [
    'skin',
    /^(skin|body|head|face|torso|arm|arms|leg|legs|hand|hands|foot|feet|limb|limbs|neck|ear|ears|haut|koerper|kopf|gesicht|peau|corps|tete|visage|piel|cuerpo|cabeza|cara|pelle|corpo|testa|viso|pele|cabeca|rosto|huid|lichaam|hoofd|gezicht)$/,
  ],
];

/** The same in scripts that don't part words by spaces; most telling first, found anywhere in a name. */
export const KIND_SIGNS: readonly [MaterialKind, RegExp][] = [
  ['cornea', /角膜|роговиц/],
  ['tear', /涙|泪|淚|слез|слёз/],
  ['lash', /まつ毛|まつげ|睫|속눈썹|ресниц/],
  ['brow', /眉|눈썹|бров/],
  ['scalp', /頭皮|头皮|두피/],
  ['beard', /髭|髯|胡子|鬍|ひげ|수염|бород|усы/],
  ['hair', /髪|发|髮|머리카락|волос/],
  ['gums', /歯茎|牙龈|牙齦|잇몸|десн/],
  ['teeth', /歯|牙|齿|齒|치아|зуб/],
  ['tongue', /舌|혀|язык/],
  ['nail', /爪|指甲|손톱|ногт|ноготь/],
  ['lips', /唇|입술|губ/],
  ['glass', /ガラス|玻璃|유리|стекл/],
  ['metal', /金属|金屬|금속|металл/],
  ['leather', /革|皮革|가죽|кож(?=ан)/],
  ['rubber', /ゴム|橡胶|橡膠|고무|резин/],
  ['knit', /ニット|针织|針織|毛衣|니트|вязан/],
  ['cloth', /服|布|衣|シャツ|ズボン|裤|褲|裙|靴|鞋|옷|천|одежд|ткань|ткани/],
  ['eye', /目|眼|瞳|눈|глаз/],
  ['skin', /肌|皮肤|皮膚|体|身体|顔|脸|臉|피부|кожа|кожи|тело/],
];
