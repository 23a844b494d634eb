import { USUAL_SECONDS, type TimedStep } from '../../../core/onboarding';
import { expectation, type Known } from '../../../core/watch';
import { database } from '../database';

/** What makes the steps of two units alike. */
export interface Alike {
	readonly modelId: string;
	readonly uplink: string;
	readonly version: string;
	readonly target: string;
}

/** What is known of steps, by what they are alike in; looked up from the particular to the general. */
export class Knowledge {
	/** As kept, until somebody asks: of many groups few are asked for. */
	private readonly groups = new Map<string, { known: Known | string }>();
	private static kept: { readonly until: number; readonly knowledge: Promise<Knowledge> } | null = null;

	/** What is learnt once a minute need not be read for every report of a unit. */
	static read(): Promise<Knowledge> {
		const { kept } = Knowledge;
		if (kept && kept.until > performance.now()) return kept.knowledge;
		const knowledge = Knowledge.readAnew();
		Knowledge.kept = { until: performance.now() + KEPT_MS, knowledge };
		knowledge.catch(() => (Knowledge.kept = null));
		return knowledge;
	}

	static forget(): void {
		Knowledge.kept = null;
	}

	private static async readAnew(): Promise<Knowledge> {
		const { rows } = await database().raw(
			`select step, model_id as "modelId", uplink, from_version as "from", to_version as "to", learnt #- '{curve,variance}' #>> '{}' as learnt from step_group
			where learnt_at is not null order by (learnt ->> 'own')::int`
		);
		const { rows: models } = await database().raw(`select id, usual from model`);
		return new Knowledge(rows, models);
	}

	private constructor(
		rows: readonly {
			step: TimedStep;
			modelId: string;
			uplink: string;
			from: string;
			to: string;
			learnt: string;
		}[],
		models: readonly { id: string; usual: Readonly<Record<TimedStep, number>> }[]
	) {
		for (const { id, usual } of models)
			for (const step of TIMED_STEPS)
				this.groups.set(`${step} ${id}`, { known: expectation([], usual[step] ?? USUAL_SECONDS[step]) });
		// Of those that are alike, what most runs stand behind comes last and stays
		for (const { step, modelId, uplink, from, to, learnt } of rows) {
			const group = { known: learnt };
			this.groups.set(`${step} ${modelId}`, group);
			this.groups.set(`${step} ${modelId} ${uplink} ${from} ${to}`, group);
		}
	}

	of(step: TimedStep, { modelId, uplink, version, target }: Alike): Known {
		const [from, to] = step === 'firmware' ? [version, target] : ['', ''];
		const group =
			this.groups.get(`${step} ${modelId} ${uplink} ${from} ${to}`) ?? this.groups.get(`${step} ${modelId}`);
		// A model whose pack was loaded since
		if (!group) return expectation([], USUAL_SECONDS[step]);
		if (typeof group.known === 'string') group.known = JSON.parse(group.known) as Known;
		return group.known;
	}
}

/** What was learnt is read anew: for benchmarks, which measure that as well. */
export const forgetKnowledge = (): void => Knowledge.forget();

const KEPT_MS = 5_000;
/** The steps that are timed, in the order in which a unit comes to them. */
export const TIMED_STEPS: readonly TimedStep[] = [
	'calling',
	'identity',
	'firmware',
	'configuration',
	'proof'
];
