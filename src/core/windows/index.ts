export * from './rule';
export { isOpenAt, nextOpen, openSpans, type Span } from './open';
export { LONGEST_CALENDAR, readHolidays, type Holidays } from './holidays';
