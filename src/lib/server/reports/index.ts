export { makeReport, sheetsOf } from './make';
