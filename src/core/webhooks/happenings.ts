/** What Limen tells other programs of, in words for whoever chooses among them. Kept by names: they are part of the API. */
export const HAPPENINGS = {
	'alert.begun': 'an alert begins',
	'alert.seen': 'somebody has seen an alert, or takes care of it',
	'alert.ended': 'an alert ends',
	'run.through': 'a unit came through its onboarding',
	'run.failed': 'a unit failed in its onboarding',
	'send.ended': 'a send to a unit is over, confirmed or not',
	'site.proven': 'all checks of a site hold',
	'site.unproven': 'a check of a site does not hold',
	'handover.made': 'a site is handed over'
} as const;
export type Happening = keyof typeof HAPPENINGS;
export const HAPPENINGS_IN_ORDER = Object.keys(HAPPENINGS) as Happening[];

/** What is told: something that happened, or that somebody tries whether it is heard. */
export interface Told {
	/** Of what happened: the same wherever and however often it is told. */
	readonly id: string;
	readonly kind: Happening | 'webhook.tried';
	readonly at: Date;
	/** JSON; what it holds is said in `docs/webhooks.md`. */
	readonly data: Readonly<Record<string, unknown>>;
}

export const CLOUD_EVENT = 'application/cloudevents+json; charset=utf-8';

/** One event of CloudEvents 1.0 in structured JSON. `source`: where this Limen is reached. */
export const cloudEvent = ({ id, kind, at, data }: Told, source: string): string =>
	JSON.stringify({
		specversion: '1.0',
		id,
		source,
		type: `limen.${kind}`,
		time: at.toISOString(),
		...(typeof data.subject === 'string' && { subject: data.subject }),
		datacontenttype: 'application/json',
		data
	});
