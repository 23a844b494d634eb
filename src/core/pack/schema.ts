import * as v from 'valibot';
import { DIALECTS, dialectRulesSchema, grammarSchema } from '../config';
import { CHECK_SCHEMES } from '../intake';
import { CAUSE_IDS, LAMPS, USUAL_SECONDS, type TimedStep } from '../onboarding';
import { groupsOf } from '../pattern';
import { about, slug, name, words, pattern, seconds, share, VERSION } from './fields';
import { talkSchema } from './talk';

/**
 * A pack: all that Limen knows of one maker's models, as one open file (JSON, RFC 8259). Nothing else in Limen knows a
 * maker. How it is written, by example: docs/packs.md.
 */
const PACK_FORMAT = 1;
/** A pack longer than this is none: the longest grammars are some 100 kB. In characters. */
export const LARGEST_PACK = 2 * 1024 * 1024;

const firmwareLine = v.strictObject({
	grammar: about(v.optional(grammarSchema), 'What this firmware understands.'),
	versions: about(
		v.optional(
			v.pipe(
				v.array(v.strictObject({ version: VERSION, from: v.optional(v.array(VERSION), []) })),
				v.maxLength(500)
			),
			[]
		),
		'The versions there are, oldest first; `from`: those that can be changed to it directly, all of them when it is empty.'
	),
	signers: about(
		v.optional(v.pipe(v.array(words(4000)), v.maxLength(5)), []),
		'Public keys (PEM) of those who sign its images: RSA, or an elliptic curve. A signature is detached, over SHA-256 of the image.'
	),
	signed: about(
		v.optional(v.boolean(), false),
		'Whether an image without a signature by one of `signers` is not taken.'
	)
});

const model = v.strictObject({
	id: slug,
	name,
	roles: v.pipe(v.array(slug), v.minLength(1), v.maxLength(10)),
	dialect: v.picklist(
		DIALECTS,
		({ received }) => `Limen does not know the dialect ${received}. It knows ${DIALECTS.join(', ')}.`
	),
	firmware: about(slug, 'The firmware line, by its name in `firmware`.'),
	talk: about(slug, 'How to talk to it, by its name in `talks`.'),
	serial: v.strictObject({
		template: about(
			v.pipe(
				v.string(),
				v.regex(
					/^[A-Z0-9dlac]{6,32}$/,
					'Capitals and digits; `d` a digit, `l` a letter, `a` either, `c` the check character.'
				)
			),
			'`d` stands for a digit, `l` for a letter, `a` for either, `c` for the check character.'
		),
		check: v.picklist(CHECK_SCHEMES)
	}),
	room: about(
		v.optional(v.pipe(v.number(), v.integer(), v.minValue(1))),
		'How large an image it has room for, in bytes; any that there is, when it is left out.'
	),
	secrets: about(
		v.optional(
			v.strictObject({
				length: v.pipe(v.number(), v.integer(), v.minValue(12), v.maxValue(128)),
				alphabet: v.pipe(
					v.string(),
					v.regex(/^[!-~]{10,94}$/, 'Printable characters, 10 of them at least.'),
					v.check((given) => new Set(given).size === given.length, 'Each character once.')
				)
			})
		),
		'How long the secrets are that Limen makes for it, and out of which characters; look-alikes are left out.'
	),
	ports: about(
		v.record(v.pipe(v.string(), v.regex(/^[a-z][a-z0-9_]{0,40}$/)), words(60)),
		'Its ports by what they are for, as profiles name them: `uplink`, `lan`, `ap_feed`.'
	),
	lights: about(
		v.optional(
			v.pipe(
				v.array(
					v.strictObject({
						shows: words(120),
						means: words(200),
						state: about(
							v.optional(v.picklist(LAMPS)),
							'What it says of the unit; Limen asks about lights that have a state.'
						)
					})
				),
				v.maxLength(30)
			),
			[]
		),
		'What its lights mean, as somebody who has never seen one would say it.'
	),
	usual: about(
		v.optional(
			v.strictObject(
				Object.fromEntries(
					Object.entries(USUAL_SECONDS).map(([step, normal]) => [
						step,
						v.optional(seconds(7 * 86_400), normal)
					])
				) as Record<TimedStep, v.OptionalSchema<ReturnType<typeof seconds>, number>>
			),
			{}
		),
		'How many seconds each step of coming online usually takes; it counts for little as soon as there are runs to learn from.'
	),
	causes: about(
		v.optional(v.strictObject(v.entriesFromList(CAUSE_IDS, v.optional(share))), {}),
		'How common each cause is among units that do not come, beside the others (built in, they make 108 together); it counts for less as cases end.'
	),
	quiet: about(
		v.optional(seconds(7 * 86_400), 90),
		'For how many seconds a unit that was online may have no connection before it counts as not heard.'
	)
});
export type PackModel = v.InferOutput<typeof model>;

const some = <Schema extends v.GenericSchema>(schema: Schema, most: number) =>
	v.pipe(
		v.record(slug, schema),
		v.check((given) => Object.keys(given).length <= most, `At most ${most}.`)
	);

export const packSchema = v.strictObject({
	$schema: v.optional(v.string()),
	format: v.literal(PACK_FORMAT),
	maker: v.strictObject({ id: slug, name }),
	version: about(VERSION, 'The pack’s own version. A change needs another one.'),
	notes: v.optional(v.pipe(v.string(), v.maxLength(4000)), ''),
	dialects: about(
		v.optional(
			v.strictObject(
				Object.fromEntries(DIALECTS.map((dialect) => [dialect, v.optional(dialectRulesSchema)])) as Record<
					(typeof DIALECTS)[number],
					v.OptionalSchema<typeof dialectRulesSchema, undefined>
				>
			),
			{}
		),
		'What is this maker’s own in how its units print a configuration.'
	),
	devices: about(
		v.optional(
			v.strictObject({
				authorities: about(
					v.pipe(v.array(words(8000)), v.minLength(1), v.maxLength(20)),
					'Certificates (PEM) of those who sign its units’ own: roots, and those below them whose revocation lists are loaded.'
				),
				serial: about(
					v.optional(
						v.pipe(
							pattern,
							v.check((given) => groupsOf(given).includes('serial'), 'It has a group `serial`.')
						)
					),
					'Where in the certificate’s `serialNumber` (X.520) the serial number stands, the group `serial`; all of it, when it is left out.'
				)
			})
		),
		'The certificates with which its units say who they are (IEEE 802.1AR), where they have one.'
	),
	firmware: some(firmwareLine, 50),
	talks: some(talkSchema, 20),
	models: v.pipe(v.array(model), v.minLength(1), v.maxLength(200))
});
export type Pack = v.InferOutput<typeof packSchema>;
