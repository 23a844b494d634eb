/** Something the person at the console can put right: printed as one sentence, without a stack. */
export class Problem extends Error {}

export const say = (sentence: string): void => console.log(sentence);
