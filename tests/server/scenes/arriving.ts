import { v7 as uuid } from 'uuid';
import { bindUnit, swapUnit } from '../../../src/lib/server/binding';
import { newHostKey } from '../../../standins/units/home';
import ssh2 from 'ssh2';
import { ACTOR, address, boundUnit, newUnit, openPosition, post, unwalled } from '../making';
import { must } from '../profile/profile-making';
import type { Ids } from '../things';
import { give, newGateway, replacing } from '../intake/replacement-making';
import type { Ask } from '../walk';
import { nameOf } from './names';

/** A unit that its maker's registry did not give. */
async function refusedUnit(ids: Ids): Promise<string> {
	const { unitId } = await newUnit('gateway', await nameOf(ids));
	await unwalled()('unit')
		.where({ id: unitId })
		.update({ ownership: 'refused', ownership_words: 'It belongs to another account.' });
	return unitId;
}
const ofRefused =
	(act: (ids: Parameters<Ask>[0]) => string, fields: Record<string, string>): Ask =>
	async (ids, as) =>
		post(act(ids), { unit: await refusedUnit(ids), ...fields }, {}, as);
const CODE = { code: 'NEWCODE234' };

/** A unit in whose place another has come. */
async function swappedOut(ids: Ids): Promise<string> {
	const name = await nameOf(ids);
	const old = await boundUnit('gateway', name);
	const { unitId: next } = await newUnit('gateway', name);
	must(await swapUnit(old.positionId, next, { ...ACTOR, reason: 'it smokes' }));
	return old.unitId;
}

/** Somebody who called with a key that no unit has reported. */
async function unknownKey(): Promise<string> {
	const key = ssh2.utils.parseKey(newHostKey()) as ssh2.ParsedKey;
	const hostKey = `ssh-ed25519 ${key.getPublicSSH().toString('base64')}`;
	const [caller] = await unwalled()('caller')
		.insert({ serial: `SHA256:${uuid()}`, reason: 'unknown-key', host_key: hostKey, address: '192.0.2.9' })
		.returning('id');
	return String(caller.id);
}

/** A phone bound a unit where another was bound meanwhile. */
async function conflictOf(as: Parameters<Ask>[1]): Promise<string> {
	const position = await openPosition();
	const { site_id: siteId } = await unwalled()('position').where({ id: position }).first('site_id');
	const [theirs, mine] = [await newUnit(), await newUnit()];
	must(await bindUnit(position, theirs.unitId, ACTOR));
	const entry = {
		id: uuid(),
		at: Date.now(),
		kind: 'bind',
		serial: mine.serial,
		siteId,
		positionId: position
	};
	await fetch(address('/day/sync'), {
		method: 'POST',
		headers: { cookie: as.cookie, origin: address(''), 'content-type': 'application/json' },
		body: JSON.stringify({ now: Date.now(), entries: [entry] })
	});
	return entry.id;
}

const atReplacement =
	(act: string, isGiven: boolean, fields: (position: string) => Promise<Record<string, string>>): Ask =>
	async (_ids, as) => {
		const { id, bound } = await replacing(1);
		const [{ serial, positionId }] = bound as [(typeof bound)[0]];
		if (isGiven) must(await give(id, `${await newGateway()},${serial}`));
		return post(`/upkeep/replacements/${id}?/${act}`, await fields(positionId), {}, as);
	};

/** Units at the door, out of service, refused, or meant for another's place. */
export const ARRIVING: Readonly<Record<string, Ask>> = {
	'POST /intake?/again': ofRefused(() => '/intake?/again', CODE),
	'POST /intake?/drop': ofRefused(() => '/intake?/drop', {}),
	'POST /intake/[id=uuid]?/again': ofRefused(({ batch }) => `/intake/${batch}?/again`, CODE),
	'POST /units/[id=uuid]?/service': async (ids, as) =>
		post(`/units/${await swappedOut(ids)}?/service`, {}, {}, as),
	'POST /units/[id=uuid]?/giveUp': async (ids, as) =>
		post(`/units/${await swappedOut(ids)}?/giveUp`, {}, {}, as),
	'POST /arrivals/keys/[caller]?/default': async (ids, as) => {
		const { unitId: unit } = await boundUnit('gateway', await nameOf(ids));
		return post(`/arrivals/keys/${await unknownKey()}`, { unit }, {}, as);
	},
	'POST /day?/settle': async (_ids, as) =>
		post('/day?/settle', { conflict: await conflictOf(as), choice: 'theirs' }, {}, as),
	'POST /upkeep/replacements/[id=uuid]?/give': atReplacement('give', false, async () => ({
		units: await newGateway()
	})),
	'POST /upkeep/replacements/[id=uuid]?/takeBack': atReplacement('takeBack', true, async (position) => ({
		position
	})),
	'POST /upkeep/replacements/[id=uuid]?/swap': atReplacement('swap', true, async (position) => ({ position }))
};
