import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect } from 'chai';
import { v7 as uuid } from 'uuid';
import { database, runAs } from '../../../src/lib/server/database';
import { removeRule } from '../../../src/lib/server/binding';
import {
	ACTOR,
	boundUnit,
	customerLike,
	get,
	newPerson,
	newUnit,
	refusalOf,
	report,
	type TestPerson,
	unwalled
} from '../making';
import { nothing, thingsOf, tokenFor, type Ids } from '../things';
import { WALK } from '../walk';

/**
 * Walks every page, action, endpoint, stream and download of the application as a member of one customer,
 * and asks for another customer's things. What comes back must be the same as for things that do not exist.
 */
const OURS = 'Marlstone Veterinary';
const ROUTES = 'src/routes';
/**
 * Walked by tests of their own below, since they do not end by themselves; the way out, which ends the walk; and the way to
 * the firm's provider, which is another each time and leads past nobody's things.
 */
const APART = [
	'GET /live',
	'GET /arrivals/stream',
	'POST /sign-out',
	'GET /sign-in/firm',
	'POST /account?/token'
];

/** Every route there is, read from the files that make them. */
function routes(): string[] {
	return readdirSync(ROUTES, { recursive: true, encoding: 'utf8' }).flatMap((file) => {
		const path = `/${file.replace(/\/?\+[^/]*$/, '')}`;
		const text = () => readFileSync(join(ROUTES, file), 'utf8');
		if (file.endsWith('+page.server.ts')) {
			const actions =
				/export const actions[^{]*\{\n([\s\S]*?)^\};/m.exec(text())?.[1] ??
				/export const actions[^{]*\{(.*)\};/.exec(text())?.[1] ??
				'';
			const names = [...actions.matchAll(/(?:^\t|^ )(\w+):/gm)].map(([, name]) => name);
			return [`GET ${path}`, ...names.map((name) => `POST ${path}?/${name}`)];
		}
		if (file.endsWith('+page.svelte')) return [`GET ${path}`];
		if (file.endsWith('+server.ts'))
			return [...text().matchAll(/export const (GET|POST|PUT|PATCH|DELETE|OPTIONS|fallback)\b/g)].map(
				([, method]) => `${method} ${path}`
			);
		return [];
	});
}

describe('the walls between customers', () => {
	let member: TestPerson;
	let theirMember: TestPerson;
	let token: string;
	let theirs: Ids;
	let theirName: string;
	let marks: string[];
	before(async () => {
		// As much as anybody may have at one customer
		member = await newPerson({ [OURS]: 'engineer' });
		theirName = await customerLike('Southfold Physio');
		theirMember = await newPerson({ [theirName]: 'engineer' });
		token = await tokenFor(OURS);
		({ ids: theirs, marks } = await thingsOf(theirName, theirMember));
	});

	// It would work on what other tests take in
	after(() => theirs && removeRule(theirs.rule, ACTOR));

	/** What must not change, whatever a stranger asks for. */
	const stateOfTheirs = async () => {
		const { rows } = await unwalled().raw(
			`select (select jsonb_agg(to_jsonb(b) order by position_id) from binding b where customer_id = :customer) as bindings,
				(select jsonb_agg(jsonb_build_array(id, outcome, step) order by id) from run where customer_id = :customer) as runs,
				(select jsonb_agg(jsonb_build_array(id, claim_hash) order by id) from unit where customer_id = :customer) as units,
				(select count(*) from ledger_entry where customer_id = :customer) as acts,
				(select jsonb_agg(to_jsonb(a) order by id) from allotment a where customer_id = :customer) as allotments,
				(select count(*) from handover where customer_id = :customer) as handovers,
				(select jsonb_agg(to_jsonb(p) order by id) from site_proof p where customer_id = :customer) as proofs,
				(select jsonb_agg(to_jsonb(c) order by proof_id, ordinal) from site_check c where customer_id = :customer) as checks,
				(select jsonb_agg(to_jsonb(t) order by id) from tunnel t where customer_id = :customer) as tunnels,
				(select jsonb_agg(to_jsonb(p) order by id) from pool p where customer_id = :customer) as pools,
				(select jsonb_agg(jsonb_build_array(id, values) order by id) from position where customer_id = :customer) as values,
				(select jsonb_agg(to_jsonb(b) order by batch_id, ordinal) from batch_row b where customer_id = :customer) as rows,
				(select jsonb_agg(to_jsonb(f) order by id) from day_entry f where customer_id = :customer) as entries,
				(select jsonb_agg(to_jsonb(s) order by id) from site s where customer_id = :customer) as sites,
				(select jsonb_agg(to_jsonb(p) order by id) from site_pattern p where customer_id = :customer) as patterns,
				(select jsonb_agg(to_jsonb(p) order by id) from pattern_position p where customer_id = :customer) as pattern_positions,
				(select jsonb_agg(to_jsonb(r) order by id) from binding_rule r where customer_id = :customer) as rules,
				(select jsonb_agg(to_jsonb(l) order by id) from site_link l where customer_id = :customer) as links,
				(select jsonb_agg(to_jsonb(p) order by unit_id) from binding_proposal p where customer_id = :customer) as proposals,
				(select jsonb_agg(to_jsonb(m) order by person_id) from membership m where customer_id = :customer) as members,
				(select count(*) from session where revoked_at is null and person_id = :person) as sessions`,
			{ customer: theirs.customer, person: theirs.person }
		);
		return rows[0];
	};

	it('are walked at every route there is', () => {
		const known = [...Object.keys(WALK), ...APART].sort();
		expect([...new Set(routes())].sort()).to.deep.equal(known);
	});

	it('show the walk’s own marks to whom they belong, so that the walk can fail', async () => {
		const seen = await Promise.all(
			[
				`/sites/${theirs.site}`,
				`/units/${theirs.unit}`,
				'/intake',
				'/account',
				`/find?q=${theirs.serial.slice(0, 8)}`
			].map((path) => get(path, theirMember).then((answer) => answer.text()))
		);
		for (const mark of marks.slice(0, 5)) expect(seen.join('\n'), mark).to.include(mark);
	});

	it('let nothing through, not even that something exists', async () => {
		const before = await stateOfTheirs();
		for (const [route, ask] of Object.entries(WALK)) {
			const none = nothing();
			const answers = [];
			for (const ids of [theirs, none]) {
				const response = await ask(ids, member, token);
				let text = await response.text();
				// A caller's number is short and stands in many a text by chance
				for (const [name, value] of Object.entries(ids))
					if (name !== 'caller') text = text.replaceAll(value, name);
				// What differs between any two answers: one-time values, labels made for the request, and times
				text = text
					.replace(/\/calendar\/[\w-]{20,}/g, '/calendar/')
					.replace(/nonce(="|-)[^"']+/g, 'nonce')
					.replace(/"?requestId"?:"[^"]+"/g, '');
				answers.push({ status: response.status, location: response.headers.get('location'), text });
			}
			const [asked, other] = answers as [(typeof answers)[0], (typeof answers)[0]];
			expect(asked.status, `${route}: ${asked.text.slice(0, 300)}`)
				.to.equal(other.status)
				.and.to.be.below(500);
			expect(asked.location, route).to.equal(other.location);
			for (const mark of marks) expect(asked.text.includes(mark), `${route} tells “${mark}”`).to.equal(false);
			// Lists may differ by what this walk itself claims on our side; answers about one thing may not
			if (/id=|position=|\?\/|\/find/.test(route) && !/intake|bind$/.test(route))
				expect(sizeless(asked.text), route).to.equal(sizeless(other.text));
		}
		const after = await stateOfTheirs();
		for (const [what, was] of Object.entries(before)) expect(after[what], what).to.deep.equal(was);
	});

	const sizeless = (text: string) =>
		text
			.replace(/\d{10,}/g, '0')
			// “12 seconds ago” is another in the next second
			.replace(/(<time[^>]*>)[^<]*/g, '$1')
			.replace(/data-sveltekit[^>]*/g, '')
			.replace(/__sveltekit_\w+/g, '');

	it('keep the streams apart: another’s change is not told, not even as a change', async () => {
		const ours = await boundUnit();
		const streams: [path: string, change: () => Promise<unknown>, isOurs: (heard: string) => boolean][] = [
			['/live?topics=runs,units,callers', () => newUnit(), (heard) => heard.includes('"units"')],
			['/arrivals/stream', () => report(ours, 'bootstrap-initiated'), (heard) => heard.includes(ours.runId)]
		];
		for (const [path, change, isOurs] of streams) {
			const other = await boundUnit('gateway', theirName);
			const life = new AbortController();
			const response = await get(path, member, { signal: life.signal });
			await report(other, 'bootstrap-initiated');
			await change();
			let heard = '';
			for await (const chunk of response.body as unknown as AsyncIterable<Uint8Array>) {
				heard += new TextDecoder().decode(chunk);
				if (isOurs(heard)) break;
			}
			life.abort();
			expect(heard).to.not.include('"runs"');
			for (const mark of [...marks, other.serial, other.runId, theirs.customer])
				expect(heard).to.not.include(mark);
		}
	});

	it('stand in the database itself: a query that forgets them finds nothing', async () => {
		const asMember = <Result>(work: () => Promise<Result>) =>
			runAs({ kind: 'person', personId: member.id }, work);
		const { rows: tables } = await unwalled().raw(
			`select table_name as name, relispartition as "isPart" from information_schema.columns join pg_class on pg_class.oid = to_regclass(table_name)
			where table_schema = 'public' and column_name = 'customer_id'`
		);
		expect(tables.length).to.be.greaterThan(8);
		for (const { name, isPart } of tables) {
			const found = asMember(() => database()(name).where({ customer_id: theirs.customer }).first());
			// A part of a table is behind its whole
			if (isPart) expect(await refusalOf(found), name).to.match(/permission denied/);
			else expect(await found, name).to.equal(undefined);
		}
		expect(await asMember(() => database()('customer').pluck('name'))).to.deep.equal([OURS]);
		const moved = await asMember(() =>
			database()('site').where({ customer_id: theirs.customer }).update({ name: 'ours now' })
		);
		expect(moved).to.equal(0);
		const planted = await asMember(() =>
			database()('batch')
				.insert({ id: uuid(), customer_id: theirs.customer })
				.then(
					() => 'let in',
					(error: Error) => error.message
				)
		);
		expect(planted).to.match(/row-level security/);
		// Somebody who only reads changes nothing of what they see
		const auditor = await newPerson({ [OURS]: 'auditor' });
		const changed = await runAs({ kind: 'person', personId: auditor.id }, async () => [
			Number((await database()('site').count())[0]!.count),
			await database()('site').update({ contact: 'changed' })
		]);
		expect(changed[0]).to.be.greaterThan(10);
		expect(changed[1]).to.equal(0);
		// Work that is nobody's sees nothing at all
		for (const name of ['customer', 'unit', 'person', 'session', 'ledger_entry', 'mail'])
			expect(
				await runAs({ kind: 'nobody' }, () =>
					database()(name)
						.first()
						.then(
							(row) => row,
							() => undefined
						)
				),
				name
			).to.equal(undefined);
	});

	it('do not let the application become more than it is', async () => {
		const { rows } = await database().raw(
			`select rolsuper, rolbypassrls, rolcreaterole, rolcreatedb, (select count(*)::int from pg_tables where schemaname = 'public' and tableowner = session_user) as owns
			from pg_roles where rolname = session_user`
		);
		expect(rows[0]).to.deep.equal({
			rolsuper: false,
			rolbypassrls: false,
			rolcreaterole: false,
			rolcreatedb: false,
			owns: 0
		});
	});
});
