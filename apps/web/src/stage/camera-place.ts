import type { OrbitControls } from 'three/examples/jsm/controls/OrbitControls.js';
import type { Jump } from '../store/view-slice.ts';
import type { Level } from './level.ts';
import type { OnStage } from './picking.ts';
import { isWhole, shotOf } from './shots.ts';

/**
 * Puts the camera where a jump looks from; distances follow the figure's height.
 * @param aspect width by height of what one figure is drawn in
 * @returns whether there was a figure to look at
 */
export function putCameraAt(
  on: OnStage & { readonly controls: OrbitControls },
  level: Level,
  to: Jump,
  aspect: number,
): boolean {
  // What is looked at alone decides: a source that arrives torn apart would put the camera far off.
  const { source, result } = on.figures,
    figure = (on.state?.view === 'result' ? result : source) ?? source ?? result;
  if (!figure) return false;
  level.put(to);
  const { direction, distance: usual, height } = shotOf(figure, to),
    target = level.placeOf(figure, to),
    whole = isWhole(to);
  // A single figure stands larger than one of a pair: it steps back and up, or its feet are behind the bars.
  const wide = whole && aspect > 1,
    distance = wide ? usual * 1.07 : usual;
  if (wide) target.y -= height * 0.03;
  // A narrow view needs more distance for the same width.
  const widest = Math.max(...Object.values(on.figures).map((one) => (one ? shotOf(one, to).width : 0)));
  const narrow = Math.max(1, (whole ? Math.max(0.56, (0.86 * widest) / height) : 0.8) / Math.max(0.2, aspect));
  on.controls.target.copy(target);
  on.camera.position.copy(target).addScaledVector(direction, distance * narrow);
  on.camera.near = distance / 40;
  on.camera.far = distance * 12 + height * 4;
  on.controls.update();
  return true;
}
