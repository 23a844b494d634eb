export { keepSmallChange } from './keep';
export { lookAtSmallChange } from './look';
export { beginSmallChange, changeableAt, MOST_POSITIONS, smallChangeById, type SmallChange } from './store';
export { whatSchema, type What } from './what';
