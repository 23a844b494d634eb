/**
 * Text from outside as it can be kept and shown. PostgreSQL's text holds no NUL, JSON no lone surrogate;
 * other control characters, and those that turn the direction of writing round, only mislead whoever reads
 * them. Tabs and line breaks stay.
 */
// eslint-disable-next-line no-control-regex -- control characters are just what is replaced
const MISLEADING = /[\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x9f\u202a-\u202e\u2066-\u2069]/g;

/** Each such character becomes U+FFFD. Laws: cleaning twice is cleaning once; the length stays. */
export const cleanText = (text: string): string => text.replace(MISLEADING, '\uFFFD').toWellFormed();
