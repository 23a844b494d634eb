export { groupAlike, type UnitShape } from './alike';
export { alignTrees, type Slot } from './align';
export { formulaFrom, type Column } from './derive';
export { learn } from './learn';
export type { Learning, Learnt, LearntFrom, Question } from './learnt';
export type { UnitProof } from './proof';
export { learntChoiceSchema, reshape, type LearntChoice } from './reshape';
