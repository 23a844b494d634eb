/** Severities of RFC 5424 §6.2.1, from 0 on, as people say them. */
export const SEVERITIES = [
	'emergency',
	'alert',
	'critical',
	'error',
	'warning',
	'notice',
	'information',
	'debug'
] as const;
export const severityWord = (severity: number): string => SEVERITIES[severity] ?? 'notice';

/** What a person should see: what it is about, in a word. */
export const ALERT_KINDS = {
	'changed outside': 'changed outside of Limen',
	'put back': 'put back by itself',
	'not put back': 'cannot be put back',
	'other host key': 'shows another host key',
	'other serial': 'says another serial number',
	figure: 'past a limit',
	'not heard': 'not heard',
	said: 'says so',
	late: 'late',
	drift: 'runs something else',
	ending: 'ends soon',
	connector: 'cannot be read'
} as const;
export type AlertKind = keyof typeof ALERT_KINDS;
