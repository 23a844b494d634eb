import * as v from 'valibot';

/**
 * The record of a handover: what stands at a site, what its proof showed, who made it and who accepted it. Made once,
 * sealed, never changed; a later one names the earlier. Published as JSON Schema (docs/handover.schema.json).
 */
const text = (most: number) => v.pipe(v.string(), v.maxLength(most));
const line = text(500);
const moment = v.pipe(v.string(), v.isoTimestamp());
const hash = v.pipe(v.string(), v.regex(/^[0-9a-f]{64}$/));
const about = <Schema extends v.GenericSchema>(schema: Schema, words: string) =>
	v.pipe(schema, v.description(words));

const unit = v.strictObject({
	position: line,
	role: line,
	model: line,
	serial: line,
	mac: v.nullable(line),
	firmware: v.nullable(line),
	configuration: about(
		v.nullable(hash),
		'SHA-256 of the configuration that it was given, as lower-case hexadecimal.'
	)
});
const check = v.strictObject({
	position: line,
	title: line,
	kind: line,
	state: v.picklist(['holds', 'fails', 'unread', 'cannot']),
	words: text(20_000),
	figures: v.array(v.strictObject({ name: line, value: v.number(), unit: text(20) }))
});
const cable = v.strictObject({
	from: line,
	fromPort: line,
	to: about(v.nullable(line), 'Null for the provider’s socket.'),
	toPort: v.nullable(line),
	seen: v.picklist(['right', 'half', 'elsewhere', 'missing', 'unread'])
});

/** A signature: strokes as an SVG path of moves and lines. */
export const strokesSchema = v.pipe(
	v.string(),
	v.maxLength(60_000),
	v.regex(/^[ML0-9 .-]+$/, 'The signature cannot be read.')
);

export const handoverSchema = v.strictObject({
	format: v.literal(1),
	id: v.pipe(v.string(), v.uuid()),
	number: about(v.pipe(v.number(), v.integer(), v.minValue(1)), 'The how-manieth of its site.'),
	madeAt: moment,
	madeBy: line,
	firm: line,
	customer: line,
	site: v.strictObject({ name: line, address: line, timeZone: line, contact: line }),
	units: v.array(unit),
	proof: v.strictObject({
		state: v.picklist(['held', 'failed']),
		beganAt: moment,
		endedAt: moment,
		checks: v.array(check)
	}),
	cabling: v.array(cable),
	photos: v.array(
		v.strictObject({ position: v.nullable(line), words: text(4000), at: moment, sha256: hash })
	),
	notes: v.array(v.strictObject({ position: v.nullable(line), words: text(4000), at: moment })),
	openPoints: v.array(text(4000)),
	accepted: v.strictObject({
		name: line,
		at: about(moment, 'When they signed, or said so by telephone.'),
		how: v.picklist(['on the screen', 'by telephone']),
		signature: about(v.nullable(strokesSchema), 'The strokes as an SVG path, in a frame of 600 by 200.')
	}),
	previous: v.nullable(
		v.strictObject({
			number: v.pipe(v.number(), v.integer(), v.minValue(1)),
			madeAt: moment,
			sha256: about(hash, 'Of the earlier record, to the letter.'),
			differs: v.array(line)
		})
	)
});
export type HandoverRecord = v.InferOutput<typeof handoverSchema>;

/** The record as it is signed and kept: to the letter. */
export const writeRecord = (record: HandoverRecord): string => `${JSON.stringify(record, null, '\t')}\n`;

/** What a handover says otherwise than the one before it, in sentences. Law: a record differs from itself in nothing. */
export function differences(
	before: Pick<HandoverRecord, 'units' | 'proof' | 'cabling'>,
	now: Pick<HandoverRecord, 'units' | 'proof' | 'cabling'>
): readonly string[] {
	const told: string[] = [];
	const old = new Map(before.units.map((one) => [one.position, one]));
	for (const one of now.units) {
		const was = old.get(one.position);
		if (!was) told.push(`${one.position} is new: ${one.model} ${one.serial}.`);
		else if (was.serial !== one.serial)
			told.push(`${one.position}: ${one.model} ${one.serial} has taken the place of ${was.serial}.`);
		else {
			if (was.firmware !== one.firmware)
				told.push(
					`${one.position}: firmware ${one.firmware ?? 'not known'}, before ${was.firmware ?? 'not known'}.`
				);
			if (was.configuration !== one.configuration)
				told.push(`${one.position}: it was given another configuration.`);
		}
		old.delete(one.position);
	}
	for (const [position, { serial }] of old) told.push(`${position} is gone: ${serial}.`);
	const faults = ({ checks }: HandoverRecord['proof']) =>
		new Set(
			checks
				.filter(({ state }) => state === 'fails' || state === 'unread')
				.map(({ position, title }) => `${position}: ${title}`)
		);
	const [was, is] = [faults(before.proof), faults(now.proof)];
	for (const one of is) if (!was.has(one)) told.push(`${one} does not hold any more.`);
	for (const one of was) if (!is.has(one)) told.push(`${one} holds now.`);
	const cableOf = ({ from, fromPort, to, toPort }: HandoverRecord['cabling'][number]) =>
		`${from} ${fromPort} to ${to ?? 'the provider’s socket'}${toPort === null ? '' : ` ${toPort}`}`;
	const planned = new Set(before.cabling.map(cableOf));
	for (const one of now.cabling)
		if (!planned.has(cableOf(one))) told.push(`The cable ${cableOf(one)} is new.`);
	return told.map((words) => words.slice(0, 500));
}
