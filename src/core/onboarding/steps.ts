/** The steps of bringing a unit online, from outside the door to inside. `claimed` comes before any run. */
export const STEPS = [
	'claimed',
	'bound',
	'calling',
	'identity',
	'firmware',
	'configuration',
	'proof',
	'online'
] as const;
export type Step = (typeof STEPS)[number];

/** The steps a run can be at. */
export const RUN_STEPS = STEPS.slice(1) as readonly RunStep[];
export type RunStep = Exclude<Step, 'claimed'>;

/**
 * How far a step is from the door: the order of STEPS.
 */
export const rankOf = (step: Step): number => STEPS.indexOf(step);

/**
 * Every move a run can make. Forward by what the unit says and does, `online` only out of `proof`,
 * back to `calling` when a unit begins again. The database holds the same table and refuses the rest.
 */
export const STEP_MOVES: readonly (readonly [RunStep, RunStep])[] = [
	['bound', 'calling'], ['bound', 'identity'], ['bound', 'proof'],
	['calling', 'identity'], ['calling', 'firmware'], ['calling', 'configuration'], ['calling', 'proof'],
	['identity', 'firmware'], ['identity', 'configuration'], ['identity', 'proof'], ['identity', 'calling'],
	['firmware', 'configuration'], ['firmware', 'proof'], ['firmware', 'calling'],
	['configuration', 'proof'], ['configuration', 'calling'],
	['proof', 'online'], ['proof', 'calling']
]; // prettier-ignore

const allowed = new Set(STEP_MOVES.map(([from, to]) => `${from} ${to}`));

export const canMove = (from: RunStep, to: RunStep): boolean => from === to || allowed.has(`${from} ${to}`);

/** How long each step usually takes, in seconds, where neither runs nor a pack say better. */
export const USUAL_SECONDS = { calling: 60, identity: 60, firmware: 600, configuration: 120, proof: 120 };
/** The steps that have a normal duration. */
export type TimedStep = keyof typeof USUAL_SECONDS;
export const isTimed = (step: string): step is TimedStep => step in USUAL_SECONDS;

/** What a unit's lights say, whatever they look like: a pack says which of its lights shows which. */
export const LAMPS = ['off', 'power', 'seeking', 'cut-off', 'loading', 'working'] as const;
export type Lamp = (typeof LAMPS)[number];

/** What keeps units from coming online: a pack can say how common each is with its models. */
export const CAUSE_IDS = [
	'no-power', 'no-cable', 'wrong-port', 'line-down', 'no-lease', 'no-name', 'wrong-clock', 'used-before', 'wrong-box', 'wrong-code',
	'damaged-image', 'no-space', 'worn-flash', 'refused-line', 'withheld', 'lost-power', 'lost-line'
] as const; // prettier-ignore
export type CauseId = (typeof CAUSE_IDS)[number];
