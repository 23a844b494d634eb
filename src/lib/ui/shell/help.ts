/** What a page is for, in a few sentences, and what its words mean: shown on `?`. The words are the glossary's. */
export interface Help {
	readonly title: string;
	readonly what: string;
	readonly words: readonly (readonly [word: string, meaning: string])[];
}

const STANDINGS = [
	['not heard yet', 'bound to its position, and silent so far: it is not plugged in, or cannot reach Limen'],
	['under way', 'it has called and is becoming what its profile says'],
	['late', 'in its present step for longer than nine of ten like it'],
	[
		'stalled',
		'in its present step for so long, or without what it waits for, that it will hardly go on by itself'
	],
	['needs a person', 'it failed, or will hardly go on by itself'],
	['online', 'it is what it should be, proven by Limen itself, and connected now'],
	[
		'not yet proven',
		'every unit of the site is online, and whether the site does what it is for is being checked'
	],
	['proof does not hold', 'every unit is online, and something that the site’s plan expects is not so'],
	['not heard', 'it was online, and has had no connection for longer than is normal for its model']
] as const;

/** The most particular path first. */
const PAGES: readonly (readonly [path: RegExp, help: Help])[] = [
	[
		/^\/$/,
		{
			title: 'Today',
			what: 'What needs a person comes first, each with the act that helps. Beside it stand the appointments of the next days, what came through, and who waits at the door. Each number leads to its list.',
			words: [
				...STANDINGS,
				['at the door', 'a unit that called and is not expected; let it in, or turn it away']
			]
		}
	],
	[
		/^\/units\/[^/]+\/dialogue/,
		{
			title: 'What was said',
			what: 'Every word that Limen said to a unit and all that it answered, with times; secrets are masked. It is the best tool when something is wrong.',
			words: [
				['errand', 'one piece of work wanted of one unit: to prove what it is, to read what it runs'],
				['reading', 'what an errand brought back, kept whole']
			]
		}
	],
	[
		/^\/running/,
		{
			title: 'How Limen runs',
			what: 'What is done beside the requests: letters, questions to makers, long work. What failed twelve times is given up and waits here for somebody.',
			words: [['process', 'one running copy of Limen; several can serve one database']]
		}
	],
	[
		/^\/intake\/rules/,
		{
			title: 'Rules for new units',
			what: 'Rules bind units of a customer as they are taken in: to the next open position that fits. Each binding can wait for a person’s approval.',
			words: [
				['claim', 'to take ownership of a unit for a customer'],
				['bind', 'to tie a claimed unit to a position']
			]
		}
	],
	[
		/^\/intake/,
		{
			title: 'Intake',
			what: 'Paste or load what a supplier sent: serial numbers with claim codes, in any order. Good lines are claimed, bad ones stay until they are mended. Where a maker keeps a registry, it confirms that a unit is yours.',
			words: [
				[
					'claim',
					'to take ownership of a unit for a customer, confirmed by the maker’s registry where there is one'
				],
				['claim code', 'the code on the label that only its owner can know'],
				['batch', 'what was taken in at once'],
				['to mend', 'lines that could not be taken in, kept until somebody mends or drops them']
			]
		}
	],
	[
		/^\/sites\/stamp|^\/sites\/patterns/,
		{
			title: 'Patterns and stamping',
			what: 'A pattern lists the positions that a kind of site has. Stamping makes many sites of it from a list, and shows beforehand what would come of it.',
			words: [
				['site pattern', 'a reusable list of positions with their profiles and common values'],
				['pool', 'a range of addresses or numbers from which each site is given its own']
			]
		}
	],
	[
		/^\/sites\/new/,
		{
			title: 'Plan a site',
			what: 'Everything that a site needs until its appointment, from top to bottom: what it is, where, its uplink, when and who, and the values that its profiles ask for.',
			words: [
				['position', 'a planned place for one unit; it exists before the hardware is known'],
				['uplink', 'the line by which the site reaches the network: fibre, DSL or cellular']
			]
		}
	],
	[
		/^\/sites\/./,
		{
			title: 'A site',
			what: 'Its positions with their units come first. Choose one to bind, swap or look at what its unit gets.',
			words: [
				['position', 'a planned place for one unit, with role, profile and values'],
				['bind', 'to tie a claimed unit to a position; undone as long as the unit was not heard'],
				['swap', 'another unit takes over the position, with its values'],
				['check words', 'two words to compare aloud with whoever stands at the unit'],
				...STANDINGS
			]
		}
	],
	[
		/^\/sites/,
		{
			title: 'Sites',
			what: 'All sites that you may see. Type to filter, choose rows to act on many at once, and keep what you need again as a view.',
			words: [['stamp', 'to make many sites from one pattern'], ...STANDINGS]
		}
	],
	[
		/^\/units\/./,
		{
			title: 'A unit',
			what: 'What one box is, where it belongs, and everything that it said and did, newest first.',
			words: [
				['run', 'one attempt to bring a bound unit online'],
				['claim code', 'what the label says; a wrong one keeps its unit out'],
				['host key', 'what Limen knows the unit by once it has called'],
				...STANDINGS
			]
		}
	],
	[
		/^\/units/,
		{
			title: 'Units',
			what: 'All units that you may see, with any part of a serial, a MAC or a place to filter by.',
			words: STANDINGS
		}
	],
	[
		/^\/profiles\/parts/,
		{
			title: 'A part',
			what: 'A piece of configuration text that profiles share, with one text for each dialect, and the fields that it needs.',
			words: [
				['part', 'a reusable piece of configuration text'],
				['field', 'a typed, named hole in a part'],
				['dialect', 'the grammar of a configuration text'],
				['revision', 'a draft can change; once released it never does']
			]
		}
	],
	[
		/^\/profiles\/makers/,
		{
			title: 'Makers',
			what: 'All that Limen knows of a maker’s models stands in one file, its pack: what they are, how their configuration is written, and how they are talked to. A new version is compared with the one in use before it takes its place, and can be tried on what a device printed, or on a unit that is connected.',
			words: [
				['pack', 'one open file with all that Limen knows of a maker’s models, and how to talk to them'],
				['dialect', 'the grammar of a configuration text: indented, braced, set-lines, JSON or XML'],
				[
					'not heard after',
					'how long a unit that was online may have no connection before it counts as not heard'
				]
			]
		}
	],
	[
		/^\/profiles/,
		{
			title: 'Profiles',
			what: 'A profile says what a kind of position must be: its parts in their order, their values, firmware, checks and files. A draft becomes the rule when it is released; what that changes is shown beforehand, unit by unit.',
			words: [
				['profile', 'what a kind of position must be'],
				['part', 'a reusable piece of configuration text'],
				['field', 'a typed, named hole in a part; its value is given at a scope'],
				['scope', 'where a value is given: profile, customer, site or position; the narrowest given wins'],
				['proof check', 'a question that a unit must answer rightly before it counts as online']
			]
		}
	],
	[
		/^\/values|^\/addresses/,
		{
			title: 'Values and addresses',
			what: 'Values fill the fields of parts. Addresses and numbers can come from pools, which give each place its own and keep it.',
			words: [
				['value', 'what fills a field, given at a scope'],
				['pool', 'a range from which values are given out'],
				['allotted', 'given from a pool; it stays until it is released']
			]
		}
	],
	[
		/^\/arrivals/,
		{
			title: 'Arrivals',
			what: 'Everything that is on its way to the doorline, live. What needs a person stands first. Choose a step to see only those.',
			words: [['doorline', 'the line that a unit crosses when it is proven online'], ...STANDINGS]
		}
	],
	[
		/^\/day/,
		{
			title: 'Your sites',
			what: 'Your appointments with everything that you need there. It opens without signal too: what you do is kept on the phone and sent later.',
			words: [
				['position', 'a place for one unit'],
				['check words', 'two words to compare aloud with the office'],
				...STANDINGS
			]
		}
	],
	[
		/^\/upkeep/,
		{
			title: 'Upkeep',
			what: 'What units run beside what they should run, who is behind what is released, what they ran before, and firmware.',
			words: [
				[
					'drift',
					'what runs differs from what is intended: what the unit was last given and kept, or what was accepted since'
				],
				['put right', 'what is intended is sent: all of it, or only what was chosen'],
				[
					'accept',
					'the plan is made to follow what runs: the value behind it, or a line of the position’s own'
				],
				['behind', 'online, but something else is released or planned for it than it was given'],
				['pin', 'a version that is known to be good, and is never let go'],
				['firmware target', 'the version that a profile’s units are brought to before they are online']
			]
		}
	],
	[
		/^\/records/,
		{
			title: 'Records',
			what: 'Who did what, when, from where and why. Nothing here can be changed or removed.',
			words: [['ledger', 'the append-only record of all acts; each entry is sealed to the one before']]
		}
	]
];
const GENERAL: Help = {
	title: 'Limen',
	what: 'Limen brings new network units from the box to proven online: claim them, bind them to planned positions, plug them in, and watch them cross the doorline.',
	words: STANDINGS
};

export const helpFor = (path: string): Help => PAGES.find(([pattern]) => pattern.test(path))?.[1] ?? GENERAL;
