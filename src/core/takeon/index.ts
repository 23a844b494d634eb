export { groupAlike, type UnitShape } from './alike';
export { alignTrees, type Slot } from './align';
export { formulaFrom, type Column } from './derive';
export { learn, type Learning, type Learnt, type LearntFrom, type Question } from './learn';
export type { UnitProof } from './proof';
