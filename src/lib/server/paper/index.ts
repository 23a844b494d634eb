export { printCards } from './cards';
export { printLabels } from './labels';
export { pdfResponse } from './print';
export { endLinks, linksOf, progressAt, type ShownProgress } from './progress';
