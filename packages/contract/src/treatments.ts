import { TreatmentSchema } from '@dimetra/core';

export { TreatmentSchema };
