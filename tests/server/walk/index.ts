import { ARRIVING } from './arriving';
import type { Asks } from './asking';
import { KEEPING } from './keeping';
import { PEOPLE } from './people';
import { PLANNING } from './planning';
import { PROFILES } from './profiles';
import { PROGRAMS } from './programs';

export type { Ask } from './asking';

/** Every route of the application. A route that is not here fails the walk. */
export const WALK: Asks = { ...ARRIVING, ...PLANNING, ...PROFILES, ...KEEPING, ...PEOPLE, ...PROGRAMS };
