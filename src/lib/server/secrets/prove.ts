import { trialOutcome } from '../../../core/secret';
import { judge } from '../../../core/proof';
import {
	onErrand,
	onLogin,
	UNIT_USER,
	type ClaimedErrand,
	type Dialogue,
	type TriedLogin
} from '../connections';
import { BOOTSTRAP, database, grouped, timeNow } from '../database';
import { callHomeKeys, seal, unseal } from '../keys';
import { notify } from '../live';
import { currentSettings } from '../settings';
import type { LoginPair } from './trials';

/** A tunnel needs a while until it is up again; so long it is left alone before it is asked for once more. */
const AGAIN = '2 seconds';

/** From now on units are asked whether their new secrets are in use, and logins are tried. */
export function startProvingSecrets(): void {
	onErrand('secret', prove);
	onLogin(trialOf);
}

interface Open {
	readonly rotationId: string;
	readonly unitId: string;
	readonly customerId: string;
	readonly trials: string | null;
	readonly place: string;
	readonly provingSince: Date;
	readonly tunnels: readonly string[];
}
async function openAt(unitIds: readonly string[]): Promise<ReadonlyMap<string, Open>> {
	const { rows } = await database().raw(
		`select r.rotation_id as "rotationId", r.unit_id as "unitId", r.customer_id as "customerId", trials, position.name || ' at ' || site.name as place, rotation.proving_at as "provingSince",
			array(select tunnel.name from rotation_secret s join secret on secret.id = s.secret_id join tunnel on tunnel.id = secret.tunnel_id
				where s.rotation_id = r.rotation_id and r.position_id in (near_position, far_position) order by tunnel.name) as tunnels
		from rotation_end r join rotation on rotation.id = r.rotation_id and rotation.state = 'proving'
		join position on position.id = r.position_id join site on site.id = position.site_id
		where r.unit_id = any (?::uuid[]) and proved is null`,
		[[...unitIds]]
	);
	return new Map((rows as Open[]).map((row) => [row.unitId, row]));
}

const note = (
	{ rotationId, unitId, customerId }: Open,
	found: Readonly<Record<string, unknown>>
): Promise<void> =>
	database().transaction(async (trx) => {
		await trx('rotation_end')
			.where({ rotation_id: rotationId, unit_id: unitId })
			.whereNull('proved')
			.update(found);
		await notify(trx, 'sends', customerId);
	});

/** Whether its tunnels are up with the new secret; what can be tried at a login is tried at the next. */
async function prove({ unit }: ClaimedErrand, dialogue: Dialogue) {
	const open = (await openAt([unit.unitId])).get(unit.unitId);
	if (!open) return 'No new secret is to be proved any more.';
	const down = await firstDown(open, dialogue);
	if (down !== null) {
		const waited = timeNow() - open.provingSince.getTime() > currentSettings().LIMEN_PROOF_PATIENCE * 1_000;
		const words = `${open.place}: ${down}`.slice(0, 500);
		await note(
			open,
			waited ? { proved: false, words } : { words, look_at: database().raw(`now() + interval '${AGAIN}'`) }
		);
		return down;
	}
	if (open.trials !== null) return { words: 'It has to log in again, to be tried.', hangUp: true };
	await note(open, { proved: true, words: `${open.place}: ${provedWords(open, dialogue)}`.slice(0, 500) });
	return 'The new secret is in use.';
}

const provedWords = ({ tunnels }: Open, dialogue: Dialogue): string =>
	tunnels.length > 0 && dialogue.knows('tunnels')
		? `${tunnels.join(', ')} came up with the new one.`
		: 'It was read to run the new one, and nothing of the old one.';

async function firstDown({ tunnels }: Open, dialogue: Dialogue): Promise<string | null> {
	if (tunnels.length === 0 || !dialogue.knows('tunnels')) return null;
	const askedAt = timeNow();
	const answer = await dialogue.read('tunnels');
	for (const tunnel of tunnels) {
		const found = judge({ kind: 'tunnel', tunnel }, { ...answer, askedAt, answeredAt: timeNow() });
		if (found.state !== 'holds') return `${tunnel}: ${found.words}`;
	}
	return null;
}

/** What is tried at the next login of a unit, of many in one query. */
const trialOf = grouped<string, TriedLogin | null>(BOOTSTRAP, async (unitIds) => {
	const open = await openAt(unitIds);
	return unitIds.map((unitId) => {
		const one = open.get(unitId);
		return one?.trials ? triedIn(one, JSON.parse(unseal(one.trials)) as readonly LoginPair[]) : null;
	});
});

function triedIn(open: Open, [pair, ...others]: readonly LoginPair[]): TriedLogin | null {
	if (pair === undefined) return null;
	const ofKey = (key: { readonly private: string } | undefined) =>
		key && { user: UNIT_USER, privateKey: key.private };
	const [newest, before] = callHomeKeys();
	return {
		old: pair === 'key' ? (ofKey(before) ?? null) : pair.old,
		new: pair === 'key' ? ofKey(newest)! : pair.new,
		tell: async (taken) => {
			const { proved, words } = trialOutcome(taken);
			const found = `${open.place}: ${words}`.slice(0, 500);
			await note(
				open,
				proved && others.length > 0
					? { words: found, trials: seal(JSON.stringify(others)) }
					: { proved, words: found, trials: null }
			);
		}
	};
}
