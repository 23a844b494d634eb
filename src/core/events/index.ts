export { FrameReader } from './framing';
export { LONGEST_EVENT, readEvent, type SaidEvent } from './syslog';
export { ALERT_KINDS, SEVERITIES, severityWord, type AlertKind } from './words';
