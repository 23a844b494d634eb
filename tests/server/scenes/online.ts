import { expect } from 'chai';
import { USUAL_RULES } from '../../../src/core/rollout';
import { BOOTSTRAP, runAs } from '../../../src/lib/server/database';
import { lookWhoIsBehind } from '../../../src/lib/server/drift';
import { ownTextOf } from '../../../src/lib/server/profile';
import { lookBeforeSending } from '../../../src/lib/server/send';
import { smallChangeById } from '../../../src/lib/server/small-change';
import { online, readAnew, renamed, typed, type Gateway } from '../gateway';
import { onChange } from '../dialling';
import { post, unwalled, type TestPerson } from '../making';
import { must } from '../profile/profile-making';
import type { Ask } from '../walk';
import { made } from './writing';

/** Acts at a unit that is online, or whose plan has changed since; it hangs up afterwards. */
type At = (gateway: Gateway, as: TestPerson) => Promise<Response>;
const with_ =
	(made: () => Promise<Gateway>, act: At): Ask =>
	async (_ids, as) => {
		const gateway = await made();
		try {
			return await act(gateway, as);
		} finally {
			await gateway.call!.end();
		}
	};
const atOnline = (act: At) => with_(online, act);
const atBehind = (act: At) =>
	with_(async () => {
		const gateway = await online();
		await readAnew(gateway);
		await renamed(gateway.unit, `new-name-${gateway.unit.serial.toLowerCase()}`);
		await runAs(BOOTSTRAP, lookWhoIsBehind);
		return gateway;
	}, act);

const idOf = ({ unit }: Gateway) => unit.unitId;
const drafted = async (gateway: Gateway, as: TestPerson, kind: string) =>
	made(await post('/units?/rollout', { unit: idOf(gateway), kind }, {}, as));
const atRollout = (id: string, act: string, fields: Record<string, string>, as: TestPerson) =>
	post(`/arrivals/rollouts/${id}?/${act}`, fields, {}, as);
async function begun(gateway: Gateway, as: TestPerson): Promise<string> {
	const id = await drafted(gateway, as, 'due');
	const rules = JSON.stringify(USUAL_RULES);
	const answered = await atRollout(id, 'begin', { title: 'Of a program', rules, units: '1' }, as);
	expect(answered.status, await answered.clone().text()).to.equal(200);
	return id;
}
const changed = async (gateway: Gateway, as: TestPerson) =>
	made(await post('/units?/smallChange', { unit: idOf(gateway) }, {}, as));
/** The difference that somebody makes at its console. */
const findingOf =
	(change: (text: string) => string) =>
	async (gateway: Gateway): Promise<string> => {
		typed(gateway, change);
		await readAnew(gateway);
		const { id } = await unwalled()('finding')
			.where({ unit_id: idOf(gateway) })
			.first('id');
		return id;
	};
const findingAt = findingOf((text) => `${text}tweak-note "left by the night shift";\n`);
/** One that the position can have as its own. */
const ruleAt = findingOf((text) =>
	text.replace('permit established;', 'permit established;\n\tpermit icmp;')
);

export const ONLINE: Readonly<Record<string, Ask>> = {
	'POST /units/[id=uuid]?/restart': atOnline((gateway, as) =>
		post(`/units/${idOf(gateway)}?/restart`, {}, {}, as)
	),
	'POST /units/[id=uuid]/versions?/read': atOnline((gateway, as) =>
		post(`/units/${idOf(gateway)}/versions?/read`, {}, {}, as)
	),
	'POST /units/[id=uuid]/versions?/unpin': async (ids, as) => {
		const at = `/units/${ids.unit}/versions`;
		await post(`${at}?/pin`, { version: ids.version, why: 'it is good' }, {}, as);
		return post(`${at}?/unpin`, { version: ids.version }, {}, as);
	},
	'POST /units/[id=uuid]/versions?/save': atOnline(async (gateway, as) =>
		post(`/units/${idOf(gateway)}/versions?/save`, { finding: await findingAt(gateway) }, {}, as)
	),
	'POST /upkeep/findings/[id=uuid]?/accept': atOnline(async (gateway, as) => {
		const finding = await ruleAt(gateway);
		return post(`/upkeep/findings/${finding}?/accept`, { finding, scope: 'own text' }, {}, as);
	}),
	'POST /positions/[id=uuid]/preview?/removeOwn': atOnline(async (gateway, as) => {
		const finding = await ruleAt(gateway);
		await post(`/upkeep/findings/${finding}?/accept`, { finding, scope: 'own text' }, {}, as);
		const { positionId } = gateway.unit;
		const [words] = await ownTextOf(positionId);
		return post(`/positions/${positionId}/preview?/removeOwn`, { index: '0', words: words! }, {}, as);
	}),
	'POST /upkeep/change/[id=uuid]?/keep': atOnline(async (gateway, as) => {
		const change = await changed(gateway, as);
		await post(
			`/upkeep/change/${change}?/look`,
			{ kind: 'value', field: 'time_server', value: 'clock.example' },
			{},
			as
		);
		const looked = () => runAs({ kind: 'person', personId: as.id }, () => smallChangeById(change));
		await onChange(['profiles'], async () => (await looked())!.state !== 'working');
		return post(`/upkeep/change/${change}?/keep`, { edit: String((await looked())!.edit) }, {}, as);
	}),
	'POST /units/[id=uuid]/send?/send': atBehind(async (gateway, as) => {
		const { readingId: reading, fingerprint } = must(await lookBeforeSending(idOf(gateway), true));
		return post(`/units/${idOf(gateway)}/send?/send`, { reading, fingerprint }, {}, as);
	}),
	'POST /units?/rollout': atOnline((gateway, as) =>
		post('/units?/rollout', { unit: idOf(gateway), kind: 'restart' }, {}, as)
	),
	'POST /units?/smallChange': atOnline((gateway, as) =>
		post('/units?/smallChange', { unit: idOf(gateway) }, {}, as)
	),
	'POST /upkeep/change/[id=uuid]?/look': atOnline(async (gateway, as) =>
		post(
			`/upkeep/change/${await changed(gateway, as)}?/look`,
			{ kind: 'text', comes: 'tweak-note "of a program";', goes: '' },
			{},
			as
		)
	),
	'POST /arrivals/rollouts/[id=uuid]?/doNow': async (ids, as) => {
		// Its unit is away, so that it waits
		await unwalled()('rollout')
			.where({ id: ids.rollout })
			.update({
				...{ state: 'under way', rules: JSON.stringify(USUAL_RULES), begun_at: new Date() },
				until: new Date(Date.now() + 86_400_000)
			});
		return atRollout(ids.rollout, 'doNow', { unit: ids.unit }, as);
	},
	'POST /arrivals/rollouts/[id=uuid]?/back': async (ids, as) => {
		// The unit’s stance was taken by it, and was another one before
		await post(`/units/${ids.unit}/versions?/stance`, { stance: 'hold' }, {}, as);
		await unwalled()('rollout').where({ id: ids.rollout }).update({ kind: 'stance' });
		await unwalled()('rollout_item')
			.where({ rollout_id: ids.rollout })
			.update({ state: 'done', had: 'watch', begun_at: new Date(), ended_at: new Date(), ended_as: 1 });
		return atRollout(ids.rollout, 'back', {}, as);
	},
	'POST /arrivals/rollouts?/draft': atBehind((_gateway, as) =>
		post('/arrivals/rollouts?/draft', { kind: 'due' }, {}, as)
	),
	'POST /arrivals/rollouts/[id=uuid]?/look': atBehind(async (gateway, as) =>
		atRollout(await drafted(gateway, as, 'due'), 'look', {}, as)
	),
	'POST /arrivals/rollouts/[id=uuid]?/pause': atBehind(async (gateway, as) =>
		atRollout(await begun(gateway, as), 'pause', {}, as)
	),
	'POST /arrivals/rollouts/[id=uuid]?/goOn': atBehind(async (gateway, as) => {
		const id = await begun(gateway, as);
		await atRollout(id, 'pause', {}, as);
		return atRollout(id, 'goOn', {}, as);
	})
};
