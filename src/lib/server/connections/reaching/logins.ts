import type { Client } from 'ssh2';
import type { Duplex } from 'node:stream';
import { NEW, offersOf, OLD, type LoginTrial } from '../../../../core/secret';
import { BOOTSTRAP, database, runAs } from '../../database';
import { callHomeKeys } from '../../keys';
import type { KnownUnit } from '../held';
import { connectOver, UNIT_USER, type SshLogin, type SshOffers } from '../speaking/ssh';

/**
 * Logging in to units, and trying at the same time what somebody wants to know: whether a unit refuses an old login and
 * takes a new one. That can only be seen where a connection begins.
 */
export interface TriedLogin extends LoginTrial<SshLogin> {
	/** Told which login the unit took, `old`, `new` or another; null when it took none. */
	readonly tell: (taken: string | null) => Promise<void>;
}
type TrialOf = (unitId: string) => Promise<TriedLogin | null>;
let trialOf: TrialOf = async () => null;
/** From now on units that come are tried as this says. */
export const onLogin = (trial: TrialOf): void => void (trialOf = trial);

/**
 * Logs in to a unit, which `unitOf` knows once it has shown its host key: with the login that is given, or else with Limen's
 * keys. Null when the connection was only good for a trial and is closed again: the unit comes back.
 */
export async function logInTo(
	stream: Duplex,
	isKnown: (key: Buffer) => Promise<boolean>,
	unitOf: () => KnownUnit | undefined,
	login?: SshLogin
): Promise<Client | null> {
	const own: SshOffers = login
		? [{ name: 'its login', login }]
		: callHomeKeys().map((key) => ({
				name: key.fingerprint,
				login: { user: UNIT_USER, privateKey: key.private }
			}));
	const tried: { trial: TriedLogin | null } = { trial: null };
	try {
		const { client, taken } = await connectOver(
			stream,
			isKnown,
			async () => {
				const unit = unitOf();
				// The socket's own events come from outside of anybody's work
				tried.trial = unit ? await runAs(BOOTSTRAP, () => trialOf(unit.unitId)) : null;
				return offersOf(own, unit?.loginKey ?? null, tried.trial);
			},
			login !== undefined
		);
		await tried.trial?.tell(taken);
		// Another account's login may do less than Limen's own
		if ((taken === OLD || taken === NEW) && tried.trial?.new.user !== UNIT_USER) {
			client.end();
			return null;
		}
		if (!login && taken !== OLD)
			await noteKey(unitOf(), taken === NEW ? callHomeKeys()[0].fingerprint : taken);
		return client;
	} catch (error) {
		if (/authentication methods failed/.test((error as Error).message)) await tried.trial?.tell(null);
		throw error;
	}
}

/** Which of Limen's keys a unit took is shown to it first the next time. */
async function noteKey(unit: KnownUnit | undefined, fingerprint: string): Promise<void> {
	if (!unit || unit.loginKey === fingerprint) return;
	await database()('unit').where({ id: unit.unitId }).update({ login_key: fingerprint });
}
