export { MOST_CARDS, printCards } from './cards';
export { MOST_LABELS, printLabels } from './labels';
export { pdfResponse } from './print';
export { endLinks, linksOf, progressAt, type ShownProgress } from './progress';
export { printedReport } from './press';
