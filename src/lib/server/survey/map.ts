import {
	changesBetween,
	mapOf,
	pluggedIn,
	type Link,
	type Plugged,
	type SurveyChanges,
	type SurveyMap
} from '../../../core/survey';
import { database } from '../database';
import { knownUnitsOf, runsOf, sightingsOf, type SurveyRun } from './store';

/** Models of what stands towards the outside. */
async function edgeModels(): Promise<ReadonlySet<string>> {
	return new Set(await database()('model').whereRaw(`role_id in ('router', 'gateway')`).pluck('id'));
}

/** What a run found, as far as it came. */
export async function mapOfRun(runId: string): Promise<SurveyMap> {
	const [sightings, known, edge] = await Promise.all([sightingsOf(runId), knownUnitsOf(runId), edgeModels()]);
	return mapOf(
		sightings,
		(maker, serial) => known.get(`${maker} ${serial}`) ?? null,
		(model) => edge.has(model)
	);
}

/** What is otherwise than in the run before that came to its end; null without one. */
export async function changesSince(
	runs: readonly SurveyRun[],
	now: SurveyMap
): Promise<(SurveyChanges & { readonly since: Date }) | null> {
	const before = runs.slice(1).find(({ state }) => state === 'done');
	if (!before || runs[0]!.state !== 'done') return null;
	const { things } = await mapOfRun(before.id);
	return { ...changesBetween(things, now.things), since: before.begunAt };
}

/** What was found, as rows of a list, with what each is plugged into. */
export function surveyRows({ things, links }: SurveyMap): readonly (readonly string[])[] {
	const nameOf = new Map(things.map(({ key, name }) => [key, name]));
	const cables = new Map<string, string[]>();
	const note = (own: Link['from'], far: Link['from']) => {
		const words = `${own.port || '?'} to ${nameOf.get(far.thing)!} ${far.port}`.trim();
		cables.set(own.thing, [...(cables.get(own.thing) ?? []), words]);
	};
	for (const { from, to } of links) {
		note(from, to);
		if (from.thing !== to.thing) note(to, from);
	}
	return [
		[
			'Name',
			'Group',
			'Outcome',
			'Why',
			'Addresses',
			'Maker',
			'Model',
			'Serial',
			'Firmware',
			'MAC',
			'Says it is',
			'Site',
			'Position',
			'Plugged into'
		],
		...things.map((one) => [
			one.name,
			one.group,
			one.outcome ?? 'only heard of',
			one.words,
			one.addresses.join(', '),
			one.maker ?? '',
			one.model ?? '',
			one.serial ?? '',
			one.version ?? '',
			one.mac ?? '',
			one.description,
			one.known?.site ?? '',
			one.known?.position ?? '',
			(cables.get(one.key) ?? []).join('; ')
		])
	];
}

const MOST_FOUND = 50;

/** Where a MAC address or an address is plugged in, by the address tables of a run; of a part of a MAC address, fifty at most. */
export async function whereIs(
	runId: string,
	text: string,
	{ links, things }: SurveyMap
): Promise<readonly Plugged[]> {
	const digits = text.toLowerCase().replace(/[^0-9a-f]/g, '');
	const { rows } = await database().raw(
		`with wanted as (
			select distinct mac from survey_station where run_id = :runId
				and (host(address) = :asked or (length(:digits) >= 4 and strpos(replace(mac::text, ':', ''), :digits) > 0)) limit ${MOST_FOUND}
		), own as (
			select s.* from survey_station s join wanted using (mac) where s.run_id = :runId
		)
		select host(s.at_address) as thing, s.port, s.mac::text as mac, host(s.address) as address, a.at as "seenAt",
			exists (select from wanted where wanted.mac = s.mac) as wanted
		from survey_station s join survey_address a on a.run_id = s.run_id and a.address = s.at_address
		where s.run_id = :runId and (exists (select from wanted where wanted.mac = s.mac)
			or (s.port <> '' and exists (select from own where own.at_address = s.at_address and own.port = s.port))) limit 20000`,
		{ runId, asked: text.trim(), digits }
	);
	const keyOf = new Map(
		things.flatMap(({ key, addresses }) => addresses.map((address) => [address, key] as const))
	);
	const isUnit = new Set(things.filter(({ outcome }) => outcome === 'in').map(({ key }) => key));
	const leading = new Set(
		links.flatMap(({ from, to }) => [
			...(isUnit.has(to.thing) ? [`${from.thing} ${from.port}`] : []),
			...(isUnit.has(from.thing) ? [`${to.thing} ${to.port}`] : [])
		])
	);
	const stations = (
		rows as {
			thing: string;
			port: string;
			mac: string;
			address: string | null;
			seenAt: Date;
			wanted: boolean;
		}[]
	).map((row) => ({ ...row, thing: keyOf.get(row.thing) ?? row.thing }));
	const wanted = new Set(stations.filter((row) => row.wanted).map(({ mac }) => mac));
	return pluggedIn(stations, leading).filter(({ mac }) => wanted.has(mac));
}

/** The newest run of a survey that found something, and what it found. */
export async function newestMap(
	surveyId: string
): Promise<{ readonly run: SurveyRun; readonly map: SurveyMap } | null> {
	const [run] = await runsOf(surveyId, 1);
	return run ? { run, map: await mapOfRun(run.id) } : null;
}
