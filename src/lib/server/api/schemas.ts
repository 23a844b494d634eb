import * as v from 'valibot';
import { ALERT_KINDS, type AlertKind } from '../../../core/events';
import { RUN_STEPS } from '../../../core/onboarding';
import { VERDICTS } from '../../../core/intake';
import { SITE_LIST } from '../../../core/list';
import { CHECK_STATES } from '../../../core/proof';
import { PATHS } from '../../../core/reachability';

/**
 * What programs send and get, /api/v1. The same schemas read requests and make the OpenAPI description,
 * so that neither can say what the other does not.
 */
/** Read in either case, as RFC 9562 section 4 wants it; written in lower case. */
const id = (description: string) => v.pipe(v.string(), v.uuid(), v.toLowerCase(), v.description(description));
const time = (description: string) => v.pipe(v.string(), v.isoTimestamp(), v.description(description));

export const batchWantedSchema = v.object({
	customerId: id('The customer whose units these are.'),
	text: v.pipe(
		v.string(),
		v.maxLength(900_000),
		v.description(
			'One unit a line: serial number, MAC address, claim code; or CSV with a heading row. With columns “site” and “position” each is bound there.'
		)
	)
});
const batchRowSchema = v.object({
	line: v.pipe(v.number(), v.integer(), v.description('The line of the text, from 1.')),
	serial: v.string(),
	verdict: v.picklist(VERDICTS),
	reason: v.pipe(v.string(), v.description('Empty when the row is good.')),
	failedAt: v.nullable(
		v.pipe(
			v.picklist(['reading', 'claiming', 'registry']),
			v.description('The step at which the row failed; null when it did not.')
		)
	),
	unitId: v.nullable(id('The unit that was claimed.')),
	repairs: v.pipe(
		v.array(v.string()),
		v.description('Serial numbers that would be valid if a character was misread.')
	),
	ownership: v.pipe(
		v.nullable(v.picklist(['asked', 'confirmed', 'refused', 'released'])),
		v.description(
			'What the maker’s registry says of whose the unit is; null for a row that is no unit of this batch.'
		)
	),
	binding: v.pipe(
		v.nullable(v.object({ ok: v.nullable(v.boolean()), words: v.string() })),
		v.description(
			'What came of binding it, when the list says where it goes or a rule does; else null. `ok` is null while it waits for approval, or is being bound by the work that `bindingWork` names.'
		)
	)
});
export const batchSchema = v.object({
	id: id('The batch.'),
	customerId: id('The customer.'),
	counts: v.record(v.picklist(VERDICTS), v.number()),
	rows: v.array(batchRowSchema),
	bindingWork: v.pipe(
		v.nullable(id('The long work that binds its units.')),
		v.description('Where there are many to bind: the long work that does it, at `/work/…`; else null.')
	),
	outcomes: v.pipe(
		v.array(
			v.object({
				standing: v.picklist([
					'stuck',
					'stalled',
					'not-heard',
					'late',
					'moving',
					'waiting',
					'free',
					'online'
				]),
				step: v.nullable(v.picklist(RUN_STEPS)),
				count: v.number()
			})
		),
		v.description('What became of its units: how they stand, and at which step those that need a person are.')
	)
});

export const bindingWantedSchema = v.object({
	positionId: id('An open position.'),
	unitId: id('A claimed unit that suits it.')
});
export const bindingSchema = v.object({
	positionId: id('The position.'),
	unitId: id('The unit.'),
	runId: id('The run that began.')
});

export const positionSchema = v.object({
	id: id('The position.'),
	name: v.string(),
	role: v.string(),
	siteId: id('The site.'),
	site: v.string(),
	customerId: id('The customer.'),
	unitId: v.nullable(id('The unit bound to it.'))
});
export const unitSchema = v.object({
	id: id('The unit.'),
	serial: v.string(),
	mac: v.nullable(v.string()),
	model: v.string(),
	customerId: id('The customer.'),
	positionId: v.nullable(id('The position it is bound to.')),
	version: v.nullable(v.string()),
	claimedAt: time('When it was claimed.')
});
export const runSchema = v.object({
	id: id('The run.'),
	unitId: id('The unit.'),
	serial: v.string(),
	positionId: id('The position.'),
	customerId: id('The customer.'),
	number: v.pipe(v.number(), v.integer(), v.description('Counts the runs at the position, from 1.')),
	step: v.picklist(RUN_STEPS),
	outcome: v.picklist(['open', 'failed', 'through', 'cancelled']),
	since: time('When it came to this step.'),
	standing: v.pipe(
		v.nullable(v.picklist(['waiting', 'moving', 'late', 'stalled', 'stuck', 'online', 'not-heard'])),
		v.description(
			'How it stands: “stuck” needs a person, “slow” takes longer than is normal, “not-heard” was online and has no connection for longer than is normal. Null for a run that is not its position’s present one.'
		)
	),
	failedAt: v.nullable(v.picklist(RUN_STEPS)),
	failure: v.nullable(v.pipe(v.string(), v.description('The unit’s own words.')))
});

export const alertSchema = v.object({
	id: id('The alert.'),
	kind: v.picklist(Object.keys(ALERT_KINDS) as [AlertKind, ...AlertKind[]]),
	words: v.string(),
	unitId: v.nullable(id('The unit that it is about; null when it is about a connector.')),
	customerId: id('The customer.'),
	beganAt: time('When it began.'),
	lastAt: time('When it was raised last; what comes of one burst is one alert.'),
	times: v.pipe(v.number(), v.description('How often it was raised.')),
	endedAt: v.nullable(time('When what it is about had ended; null while it goes on.')),
	seenAt: v.nullable(time('When somebody looked at it, which does not end it.'))
});

export const namedSchema = v.object({ id: id('Which one.'), name: v.string() });

export const siteSchema = v.object({
	id: id('The site.'),
	name: v.string(),
	customerId: id('The customer.'),
	standing: v.pipe(
		v.picklist([...SITE_LIST.filters.standing]),
		v.description(
			'How it stands: “online” when every unit is and its proof held, “unproven” while the proof is still to come, “proof-failed” when it does not hold.'
		)
	),
	provenAt: v.nullable(
		time('When its last proof ended; null before the first, and since another unit was bound.')
	)
});
export const proofSchema = v.object({
	id: id('The proof.'),
	siteId: id('The site.'),
	state: v.picklist(['open', 'held', 'failed', 'ended']),
	begunAt: time('When it began.'),
	endedAt: v.nullable(time('When its last check was over.')),
	checks: v.array(
		v.object({
			positionId: id('Whose unit was asked.'),
			position: v.string(),
			unitId: id('The unit.'),
			kind: v.string(),
			title: v.string(),
			state: v.pipe(
				v.picklist([...CHECK_STATES]),
				v.description(
					'“unread”: it answered, and nobody can tell what; “cannot”: a unit of its model cannot be asked.'
				)
			),
			words: v.string(),
			figures: v.array(v.object({ name: v.string(), value: v.number(), unit: v.string() }))
		})
	)
});
export const proofWantedSchema = v.object({ proofId: id('The proof that began.'), checks: v.number() });
const seconds = v.nullable(v.object({ soonest: v.number(), median: v.number(), latest: v.number() }));
export const rehearsalSchema = v.object({
	siteId: id('The site.'),
	at: time('When it was computed, from everything as it stood then.'),
	revisions: v.array(v.object({ profile: v.string(), number: v.number(), isDraft: v.boolean() })),
	wouldComeOnline: v.boolean(),
	seconds: v.pipe(
		seconds,
		v.description(
			'How long after power all would be online: eight of ten times between the first and the last. Null where not all would.'
		)
	),
	units: v.array(
		v.object({
			positionId: id('The position.'),
			position: v.string(),
			serial: v.nullable(v.string()),
			isOnline: v.boolean(),
			steps: v.array(
				v.object({ step: v.string(), seconds: v.number(), words: v.string(), isStopped: v.boolean() })
			)
		})
	),
	problems: v.array(
		v.object({
			positionId: id('Whose unit would stop.'),
			position: v.string(),
			step: v.pipe(v.string(), v.description('At which step.')),
			words: v.string(),
			line: v.pipe(v.nullable(v.number()), v.description('Of what the unit would be given.')),
			behind: v.pipe(
				v.nullable(
					v.object({
						part: v.string(),
						partId: v.nullable(v.string()),
						revision: v.number(),
						line: v.number()
					})
				),
				v.description('The text behind that line; no “partId”: the profile’s own.')
			),
			field: v.pipe(v.nullable(v.string()), v.description('The field whose value decides it.')),
			checks: v.pipe(v.array(v.string()), v.description('Checks of the proof that would fail.'))
		})
	),
	remarks: v.pipe(v.array(v.string()), v.description('What would not stop it and is not as it should be.')),
	assumed: v.array(v.string()),
	unmodelled: v.pipe(v.array(v.string()), v.description('Checks that cannot be computed.'))
});
export const reachabilitySchema = v.object({
	fromSiteId: id('The site that asked.'),
	fromPositionId: id('The position that asked.'),
	toSiteId: id('The site that was asked for.'),
	toPositionId: id('The position that was asked for.'),
	path: v.pipe(
		v.picklist([...PATHS]),
		v.description(
			'“direct”: through the tunnel between the two, “hub”: by way of their hub, “other”: by a way that is not in the plan, “none”: not reached, “unread”: the answer could not be read.'
		)
	),
	lossPercent: v.nullable(v.number()),
	roundTripMilliseconds: v.nullable(v.number()),
	words: v.pipe(v.string(), v.description('What was found, in a sentence.')),
	pathSince: time('Since when it goes by this path.'),
	lookedAt: time('When it was looked at.')
});
export const handoverSchema = v.object({
	id: id('The handover.'),
	siteId: id('The site.'),
	customerId: id('The customer.'),
	number: v.pipe(v.number(), v.integer(), v.description('Counts the handovers of its site, from 1.')),
	madeAt: time('When it was made.'),
	madeBy: v.string(),
	acceptedBy: v.string(),
	state: v.picklist(['held', 'failed']),
	sha256: v.pipe(v.string(), v.description('Of its record, as lower-case hexadecimal.'))
});

/** How lists are asked for, a page at a time. */
export const pageSchema = v.object({
	limit: v.optional(
		v.pipe(v.string(), v.regex(/^\d{1,3}$/), v.transform(Number), v.minValue(1), v.maxValue(200)),
		'50'
	),
	after: v.optional(v.pipe(v.string(), v.toLowerCase(), v.uuid('Send the “next” of the page before.')))
});
export const pageOf = <Schema extends v.GenericSchema>(item: Schema) =>
	v.object({
		items: v.array(item),
		next: v.nullable(
			v.pipe(v.string(), v.description('Send it as “after” for the next page; null on the last.'))
		)
	});

/** RFC 9457. */
export const problemSchema = v.object({
	type: v.string(),
	title: v.string(),
	status: v.number(),
	detail: v.string()
});
