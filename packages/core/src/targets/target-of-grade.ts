import type { Grade } from './grades.ts';
import type { Target } from './schema.ts';

/** A target as it is for one of its grades: what that says, and the target for all else. */
export function targetOfGrade(target: Target, grade: Grade): Target {
  const { grades: _, ...rest } = target,
    { apart = 1 } = grade,
    { parity } = target;
  return {
    ...rest,
    title: `${target.title}, ${grade.title}`,
    triangles: { ...target.triangles, max: grade.triangles },
    influences: { max: grade.influences ?? target.influences.max },
    materials: { ...target.materials, hair: grade.hair ?? target.materials.hair },
    textures: {
      ...target.textures,
      maxSize: grade.maxSize ?? target.textures.maxSize,
      ...(grade.maxMemoryMB && { maxMemoryMB: grade.maxMemoryMB }),
    },
    appearance: { ...target.appearance, nearestM: grade.nearestM ?? target.appearance.nearestM },
    parity: {
      ...parity,
      restRmsMm: parity.restRmsMm * apart,
      poseRmsMm: parity.poseRmsMm * apart,
      poseMaxMm: parity.poseMaxMm * apart,
      ...(parity.partRmsMm && { partRmsMm: parity.partRmsMm * apart }),
      ...(parity.skinCm2 && { skinCm2: parity.skinCm2 * apart }),
    },
    // Levels behind a coarser nearest are those with fewer triangles still.
    package: {
      ...target.package,
      ...(target.package.levels && {
        levels: target.package.levels.filter(({ triangles }) => triangles < grade.triangles),
      }),
    },
  };
}
