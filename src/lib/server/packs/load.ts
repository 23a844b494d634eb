import { createHash, X509Certificate } from 'node:crypto';
import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import { comparePacks, type Pack, type PackChange, type PackProblem } from '../../../core/pack';
import { NO_RULES } from '../../../core/config';
import { counted } from '../../../core/text';
import { strangeSigner } from '../firmware';
import { done, refuse, type Act, type Refusal } from '../act';
import { database, isRefusal } from '../database';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';
import { sharedRefusal } from '../people';
import { currentPack, packFrom } from './current';

/** What loading a pack would do. */
export interface PackOutlook {
	readonly maker: string;
	readonly version: string;
	readonly models: number;
	/** The version in use, null when the maker is new. */
	readonly before: string | null;
	readonly changes: readonly PackChange[];
}
type Looked =
	| { readonly ok: true; readonly done: PackOutlook }
	| (Refusal & { readonly problems?: readonly PackProblem[] });

/**
 * What a pack would change, without loading it. Whoever may change profiles may look. Refused: what is no pack,
 * with every problem at its line.
 */
export async function tryPackOut(text: string, actor: Actor): Promise<Looked> {
	if (!actor.may('edit profiles', null)) return refuse(WHO_MAY);
	const read = await packFrom(text);
	if (!read.ok) return { ...refuse(problemWords(read.problems)), problems: read.problems };
	const { pack } = read;
	const before = await currentPack(pack.maker.id);
	const refused = await database().transaction((trx) => clashes(trx, pack, text));
	if (refused) return refused;
	return done({
		maker: pack.maker.name,
		version: pack.version,
		models: pack.models.length,
		before: before?.version ?? null,
		changes: before ? comparePacks(before, pack) : []
	});
}

const WHO_MAY = 'Makers’ packs are loaded by engineers.';
const problemWords = (problems: readonly PackProblem[]): string =>
	`${counted(problems.length, 'thing')} in this pack ${problems.length === 1 ? 'is' : 'are'} not right: line ${problems[0]!.line}: ${problems[0]!.message}`;

/**
 * Takes a pack into use: its maker, models and grammars become what it says. Engineers of every customer that has units
 * of the maker may, and administrators. Refused: what is no pack; a version that was loaded before with another text;
 * models and firmware lines of another maker; leaving out a model of which there are units.
 */
export async function loadPack(text: string, actor: Actor): Promise<Act<{ id: string; pack: Pack }>> {
	if (!actor.may('edit profiles', null)) return refuse(WHO_MAY);
	const read = await packFrom(text);
	if (!read.ok) return refuse(problemWords(read.problems));
	const { pack } = read;
	try {
		return await database().transaction(async (trx) => {
			const refused =
				(await sharedRefusal(trx, 'edit profiles', { maker: pack.maker.id }, actor, WHO_MAY)) ??
				(await clashes(trx, pack, text));
			if (refused) return refused;
			const id = await take(trx, pack, text, actor);
			await enterInLedger(trx, actor, [
				{
					act: 'load pack',
					customerId: null,
					subjectKind: 'pack',
					subjectId: id,
					words: `${pack.maker.name}: pack ${pack.version} is in use, with ${counted(pack.models.length, 'model')}.`,
					detail: { maker: pack.maker.id, version: pack.version, sha256: hashOf(text).toString('hex') }
				}
			]);
			await notify(trx, 'packs', null, [id]);
			return done({ id, pack });
		});
	} catch (error) {
		if (isRefusal(error))
			return refuse('Something that this pack changes or leaves out is still used. Nothing was changed.');
		throw error;
	}
}

const hashOf = (text: string) => createHash('sha256').update(text).digest();

const LONGEST_NAME = 500;
/** Why a certificate is none that can sign others; null when it is one. */
function strangeAuthority(pem: string): string | null {
	try {
		const { ca, subject } = new X509Certificate(pem);
		if (subject.length > LONGEST_NAME) return 'The name in this certificate is too long.';
		return ca ? null : 'This certificate is not for signing others.';
	} catch {
		return 'This is no certificate in PEM (RFC 7468).';
	}
}

/** Why a pack that is right in itself cannot be taken here; null when it can. */
async function clashes(trx: Knex, pack: Pack, text: string): Promise<Refusal | null> {
	const { maker, version, models, firmware } = pack;
	for (const pem of pack.devices?.authorities ?? []) {
		const strange = strangeAuthority(pem);
		if (strange) return refuse(`“authorities” of “devices”: ${strange}`);
	}
	for (const [line, { signers }] of Object.entries(firmware))
		for (const key of signers) {
			const strange = strangeSigner(key);
			if (strange) return refuse(`“signers” of ${line}: ${strange}`);
		}
	const { rows } = await trx.raw(
		`select
			(select sha256 = :hash and exists (select from maker where pack_id = pack.id) from pack where maker_id = :maker and version = :version) as "inUse",
			(select sha256 <> :hash from pack where maker_id = :maker and version = :version) as "otherText",
			(select name from maker where lower(name) = lower(:name) and id <> :maker) as "otherMaker",
			(select string_agg(m.name, ', ' order by m.name) from model m
				where maker_id <> :maker and (id = any (:ids::text[]) or lower(name) = any (:names::text[]))) as "otherModels",
			(select string_agg(distinct firmware_line, ', ') from model where maker_id <> :maker and firmware_line = any (:lines::text[])) as "otherLines",
			(select string_agg(role, ', ') from unnest(:roles::text[]) role where role not in (select id from role)) as "noRoles",
			(select string_agg(distinct model.name, ', ') from model join unit on unit.model_id = model.id
				where model.maker_id = :maker and model.id <> all (:ids::text[])) as "stillUsed"`,
		{
			hash: hashOf(text),
			maker: maker.id,
			name: maker.name,
			version,
			ids: models.map(({ id }) => id),
			names: models.map(({ name }) => name.toLowerCase()),
			lines: Object.keys(pack.firmware),
			roles: [...new Set(models.flatMap(({ roles }) => roles))]
		}
	);
	const found = rows[0] as Readonly<Record<string, string | boolean | null>>;
	if (found.inUse) return refuse(`Version ${version} is the one in use, and this is its text.`);
	if (found.otherText)
		return refuse(`There is a version ${version} already, with another text. Give this one another version.`);
	if (found.otherMaker) return refuse(`There is a maker “${found.otherMaker}” already, under another id.`);
	if (found.otherModels) return refuse(`These models are another maker’s: ${found.otherModels}.`);
	if (found.otherLines) return refuse(`These firmware lines are another maker’s: ${found.otherLines}.`);
	if (found.noRoles) return refuse(`Limen does not know these roles: ${found.noRoles}.`);
	if (found.stillUsed)
		return refuse(
			`There are units of models that this pack leaves out: ${found.stillUsed}. Nothing was changed.`
		);
	return null;
}

async function take(trx: Knex, pack: Pack, text: string, actor: Actor): Promise<string> {
	const { maker, version, models, firmware } = pack;
	await trx('maker').insert({ id: maker.id, name: maker.name }).onConflict('id').merge(['name']);
	await trx('pack')
		.insert({ id: uuid(), maker_id: maker.id, version, text, sha256: hashOf(text), loaded_by: actor.name })
		.onConflict(['maker_id', 'version'])
		.ignore();
	const { id } = await trx('pack').where({ maker_id: maker.id, version }).first('id');
	await trx('maker').where({ id: maker.id }).update({ pack_id: id });
	const grammars = Object.entries(firmware).flatMap(([line, { grammar }]) =>
		grammar ? [[line, grammar]] : []
	);
	await trx.raw(
		`insert into grammar (id, document) select key, value from jsonb_each(?::jsonb)
		on conflict (id) do update set document = excluded.document`,
		[JSON.stringify(Object.fromEntries(grammars))]
	);
	const rows = models.map((model) => ({
		...model,
		grammar: firmware[model.firmware]!.grammar ? model.firmware : null,
		versions: firmware[model.firmware]!.versions,
		signers: firmware[model.firmware]!.signers,
		signed: firmware[model.firmware]!.signed,
		rules: pack.dialects[model.dialect] ?? NO_RULES
	}));
	await trx.raw(
		`with given as (
			select * from jsonb_to_recordset(:rows::jsonb) as m(id text, name text, roles jsonb, dialect text, firmware text, talk text,
				serial jsonb, ports jsonb, lights jsonb, quiet float8, usual jsonb, grammar text, rules jsonb, versions jsonb, room bigint, causes jsonb, signers jsonb, signed boolean)
		), gone as (
			delete from model_role using model where model.id = model_role.model_id and model.maker_id = :maker
				and not exists (select from given where given.id = model_role.model_id and given.roles @> to_jsonb(model_role.role_id))
		)
		insert into model (id, name, maker_id, role_id, dialect, grammar_id, dialect_rules, firmware_line, talk, serial_template, serial_check,
			ports, lights, quiet_normal, usual, versions, room, causes, signers, is_signed)
		select id, name, :maker, roles->>0, dialect, grammar, rules, firmware, talk, serial->>'template', serial->>'check', ports, lights,
			make_interval(secs => quiet), usual, versions, room, causes,
			array(select jsonb_array_elements_text(signers)), signed from given
		on conflict (id) do update set name = excluded.name, role_id = excluded.role_id, dialect = excluded.dialect,
			grammar_id = excluded.grammar_id, dialect_rules = excluded.dialect_rules, firmware_line = excluded.firmware_line,
			talk = excluded.talk, serial_template = excluded.serial_template, serial_check = excluded.serial_check, ports = excluded.ports,
			lights = excluded.lights, quiet_normal = excluded.quiet_normal, usual = excluded.usual, versions = excluded.versions, room = excluded.room, causes = excluded.causes,
			signers = excluded.signers, is_signed = excluded.is_signed`,
		{ rows: JSON.stringify(rows), maker: maker.id }
	);
	await trx.raw(
		`insert into model_role (model_id, role_id) select id, role
		from jsonb_to_recordset(?::jsonb) as m(id text, roles jsonb), jsonb_array_elements_text(roles) role on conflict do nothing`,
		[JSON.stringify(rows)]
	);
	await trx('model')
		.where({ maker_id: maker.id })
		.whereNotIn(
			'id',
			rows.map((row) => row.id)
		)
		.delete();
	return id;
}
