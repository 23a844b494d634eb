import * as v from 'valibot';
import { groupsOf } from '../pattern';
import { ASKS, type Ask } from './asks';
import { about, words, pattern, patterns, command, seconds } from './fields';

/** How one talks with a unit, as a pack says it: what is asked, sent and flashed, in which words, over what. */

/** How one kind of answer is read. */
const reading = v.union([
	about(v.strictObject({ text: v.literal(true) }), 'The answer as it was printed.'),
	about(v.strictObject({ first: pattern }), 'The named groups of the first place that fits.'),
	about(
		v.strictObject({ each: pattern, none: v.optional(pattern) }),
		'A row for every place that fits, of its named groups. Where none fits, it could not be read, unless nothing was printed or `none` fits.'
	),
	about(
		v.strictObject({
			json: v.record(v.string(), v.pipe(v.string(), v.maxLength(300))),
			rows: v.optional(v.string())
		}),
		'Values of a JSON answer by JSON pointer (RFC 6901); with `rows`, of each item of the list there.'
	),
	about(
		v.strictObject({
			xml: v.record(v.string(), v.pipe(v.string(), v.maxLength(300))),
			rows: v.optional(v.string())
		}),
		'Values of an XML answer by a path of element names such as `system/hostname`; with `rows`, of each element there.'
	)
]);
export type Reading = v.InferOutput<typeof reading>;

const ask = v.strictObject({
	say: about(
		v.pipe(v.array(command), v.minLength(1), v.maxLength(40)),
		'What is said, one line at a time; the last answer is read. `{host}` and the like stand for what is asked about.'
	),
	read: v.optional(reading)
});
export type AskRule = v.InferOutput<typeof ask>;

const said = v.union([
	command,
	about(
		v.strictObject({ say: command, input: command }),
		'A command that is given more over its standard input (`exec` only).'
	)
]);
const saidOnes = (words: string) => about(v.optional(v.pipe(v.array(said), v.maxLength(40)), []), words);

/** How a configuration is brought to a unit so that it goes back by itself unless it is confirmed. */
const send = v.strictObject({
	seconds: about(
		v.optional(v.pipe(v.number(), v.integer(), v.minValue(10), v.maxValue(3600)), 120),
		'After how many seconds without a confirmation it goes back; `{seconds}` and `{minutes}` stand for it.'
	),
	effect: about(
		v.optional(v.picklist(['commit', 'begin']), 'commit'),
		'From which step on something changes: `commit` where there is a candidate, `begin` where every line counts at once and a return to the saved configuration is scheduled first.'
	),
	begin: saidOnes('What opens it: a candidate, a lock, or the scheduled return.'),
	load: saidOnes(
		'The configuration. `{configuration}` stands for the whole text; what holds `{line}` is said for each of its lines.'
	),
	edit: saidOnes(
		'The same where only what differs is said: `{commands}` stands for all commands, a line each; what holds `{command}` is said for each. They are made of the words in `change`.'
	),
	change: about(
		v.optional(
			v.strictObject({
				enter: about(
					v.optional(command),
					'Goes into a block: `{statement}`. Left out where every command names the whole way, `{way}`.'
				),
				leave: about(v.optional(command), 'Goes out of it.'),
				add: about(command, 'Adds `{statement}`.'),
				remove: about(command, 'Takes `{statement}` away, with all that is inside.'),
				change: about(
					v.optional(command),
					'Makes `{old}` into `{new}` at once; without it the new one is added and the old one taken away.'
				),
				after: about(v.optional(command), 'Where order counts: puts `{statement}` behind `{other}`.'),
				first: about(v.optional(command), 'Puts it first.')
			})
		),
		'The words for changing single statements, for `edit`.'
	),
	skip: about(patterns, 'Lines of the configuration that are not said, such as comments.'),
	check: saidOnes('What has it checked before anything changes.'),
	commit: saidOnes('What sets it off, with its timer. `{token}` stands for a word of Limen’s that names it.'),
	end: saidOnes('What is said after it was set off, such as the end of a lock.'),
	confirm: saidOnes(
		'What makes it permanent, said over a later connection; with what saves it for the next start.'
	),
	back: saidOnes('What has it go back at once, where that can be said.'),
	undo: saidOnes('What throws away what was loaded and not set off.')
});
export type SendRule = v.InferOutput<typeof send>;

/** How a unit that is online is brought to another firmware. */
const flash = v.strictObject({
	fetch: about(
		v.pipe(v.array(said), v.minLength(1), v.maxLength(40)),
		'What has it fetch an image while nothing changes: `{address}` (with the right to fetch it), `{version}` and `{hash}` (SHA-256, in hexadecimal) stand for it. It answers at once; how it is doing is asked by `image` in `asks`.'
	),
	ready: about(pattern, 'What `state` of that answer shows once the image lies there whole.'),
	failed: about(pattern, 'What it shows once it could not be fetched; `words` are told then.'),
	minutes: about(
		v.optional(v.pipe(v.number(), v.integer(), v.minValue(1), v.maxValue(24 * 60)), 60),
		'After how many minutes that it is not there whole it is given up.'
	),
	seconds: about(
		v.optional(v.pipe(v.number(), v.integer(), v.minValue(1), v.maxValue(3600)), 120),
		'For how many seconds after `install` it may still be writing: what it ran before, seen until then, means nothing.'
	),
	install: about(
		v.pipe(v.array(said), v.minLength(1), v.maxLength(40)),
		'What installs it and restarts the unit; it need not answer.'
	),
	undo: saidOnes('What throws away what was fetched.')
});
export type FlashRule = v.InferOutput<typeof flash>;

const shell = v.strictObject({
	prompt: about(pattern, 'The prompt, in any mode: what stands at the end when the device waits for a line.'),
	prepare: about(
		v.optional(v.pipe(v.array(command), v.maxLength(20)), []),
		'What is said first, such as what turns paging off.'
	),
	rise: about(
		v.optional(
			v.strictObject({
				say: command,
				asks: about(v.optional(pattern), 'What it asks for then, such as a password of its own.'),
				secret: about(
					v.optional(v.pipe(v.string(), v.regex(/^[a-z][a-z0-9_]{0,40}$/))),
					'The field whose value at the unit’s position is that password, where the unit has no login with one.'
				),
				prompt: about(pattern, 'The prompt once privileges have risen.')
			})
		),
		'How privileges rise: what is said, and the prompt after.'
	),
	more: about(
		v.optional(v.strictObject({ shows: pattern, press: v.optional(words(8), ' ') })),
		'What a pager shows when it waits, and what is pressed.'
	),
	questions: about(
		v.optional(
			v.pipe(
				v.array(v.strictObject({ asks: pattern, answer: v.pipe(v.string(), v.maxLength(200)) })),
				v.maxLength(50)
			),
			[]
		),
		'Questions the device may put, and what is answered.'
	),
	patience: about(
		v.optional(seconds(300), 15),
		'For how many seconds it may say nothing before it counts as waiting for something.'
	),
	leave: v.optional(v.pipe(v.array(command), v.maxLength(10)), []),
	literal: about(
		v.optional(v.strictObject({ before: words(4), keys: words(20) })),
		'Keys that the device takes for commands (help, completion), and what is typed before them to mean themselves.'
	)
});
export type ShellRules = v.InferOutput<typeof shell>;

export const talkSchema = v.strictObject({
	transport: about(
		v.picklist(['exec', 'shell', 'netconf']),
		'`exec`: one command a channel. `shell`: a terminal with prompts. `netconf`: operations as XML (RFC 6241).'
	),
	shell: v.optional(shell),
	errors: about(patterns, 'What an answer shows when the command was not understood or not done.'),
	asks: about(
		v.strictObject(
			Object.fromEntries(Object.keys(ASKS).map((kind) => [kind, v.optional(ask)])) as Record<
				Ask,
				v.OptionalSchema<typeof ask, undefined>
			>
		),
		'What can be asked of a unit, and how.'
	),
	send: v.optional(send),
	flash: v.optional(flash),
	events: about(
		v.optional(
			v.strictObject({
				configured: about(
					v.optional(pattern),
					'What it says (RFC 5424, behind its host name) when somebody configured it; the group `user` is who.'
				),
				name: about(
					v.optional(
						v.pipe(
							pattern,
							v.check((given) => groupsOf(given).includes('name'), 'It has a group `name`.')
						)
					),
					'Where in its configuration its own host name stands, the group `name`: to know it by what it says.'
				)
			})
		),
		'What it says of itself to a log server.'
	),
	save: about(
		v.optional(v.strictObject({ say: v.pipe(v.array(command), v.minLength(1), v.maxLength(10)) })),
		'What makes it start with what it runs, where it keeps that apart (`saved` in `asks`).'
	),
	restart: about(
		v.optional(v.strictObject({ say: v.pipe(v.array(command), v.minLength(1), v.maxLength(10)) })),
		'What restarts it; it need not answer.'
	)
});
export type Talk = v.InferOutput<typeof talkSchema>;
