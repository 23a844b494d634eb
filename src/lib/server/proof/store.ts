import { checkTitle, helpFor, type CheckState, type Expectation, type Figure } from '../../../core/proof';
import { database } from '../database';

/** A check as pages and programs show it. */
export interface ShownCheck {
	readonly ordinal: number;
	readonly positionId: string;
	readonly positionName: string;
	readonly unitId: string;
	readonly kind: Expectation['kind'];
	readonly title: string;
	readonly state: CheckState;
	readonly words: string;
	readonly figures: readonly Figure[];
	readonly tries: number;
	/** What helps, where it does not hold. */
	readonly help: string | null;
	readonly endedAt: Date | null;
}
export interface ShownProof {
	readonly id: string;
	readonly siteId: string;
	readonly state: 'open' | 'held' | 'failed' | 'ended';
	readonly why: 'asked' | 'complete' | 'due' | 'sent';
	readonly askedBy: string | null;
	readonly begunAt: Date;
	readonly endedAt: Date | null;
	readonly checks: readonly ShownCheck[];
}
/** How a site's proof stands in a line, without its checks. */
export interface ProofSummary {
	readonly state: 'held' | 'failed' | null;
	readonly since: Date | null;
	readonly at: Date | null;
	readonly isOpen: boolean;
	readonly checks: number;
	readonly held: number;
}

/** The last proof of a site with all its checks; null when it was never proven. */
export async function lastProof(siteId: string): Promise<ShownProof | null> {
	const proof = await database()('site_proof')
		.leftJoin('person', 'person.id', 'asked_by')
		.where({ site_id: siteId })
		.orderBy('begun_at', 'desc')
		.first(
			'site_proof.id',
			'site_id as siteId',
			'state',
			'why',
			'person.name as askedBy',
			'begun_at as begunAt',
			'ended_at as endedAt'
		);
	return proof ? { ...proof, checks: await checksOf(proof.id) } : null;
}

async function checksOf(proofId: string): Promise<readonly ShownCheck[]> {
	const rows = await database()('site_check')
		.join('position', 'position.id', 'site_check.position_id')
		.where({ proof_id: proofId })
		.orderBy('ordinal')
		.select(
			'ordinal',
			'position.id as positionId',
			'position.name as positionName',
			'unit_id as unitId',
			'kind',
			'expects',
			'state',
			'words',
			'figures',
			'tries',
			'ended_at as endedAt'
		);
	return rows.map(({ expects, ...row }) => ({
		...row,
		title: checkTitle(expects as Expectation),
		help: row.state === 'fails' || row.state === 'unread' ? helpFor(row.kind) : null
	}));
}

/** How a site's proof stands, for its own page. */
export async function proofSummary(siteId: string): Promise<ProofSummary> {
	const { rows } = await database().raw(
		`select proof_state as state, proof_since as since, proof_at as at, coalesce(last.state = 'open', false) as "isOpen",
			coalesce(counts.checks, 0)::int as checks, coalesce(counts.held, 0)::int as held
		from site
		left join lateral (select id, state from site_proof p where p.site_id = site.id order by begun_at desc limit 1) last on true
		left join lateral (select count(*) as checks, count(*) filter (where c.state in ('holds', 'cannot')) as held from site_check c where c.proof_id = last.id) counts on true
		where site.id = ?`,
		[siteId]
	);
	return rows[0];
}

/** A site whose units are all online and whose proof does not hold: what fails, in a line. */
export interface FailedProof {
	readonly id: string;
	readonly name: string;
	readonly since: Date;
	readonly words: string;
}
export async function failedProofs(
	customerId: string | null,
	limit: number
): Promise<readonly FailedProof[]> {
	const { rows } = await database().raw(
		`select site.id, site.name, proof_since as since, coalesce((
			select string_agg(position.name || ': ' || c.words, ' ' order by ordinal) from (
				select * from site_check c where c.proof_id = last.id and c.state in ('fails', 'unread') order by ordinal limit 3
			) c join position on position.id = c.position_id
		), '') as words
		from site cross join lateral (select word from site_standing s where s.site_id = site.id offset 0) stands
		left join lateral (
			select id from site_proof p where p.site_id = site.id and p.ended_at is not null order by begun_at desc limit 1
		) last on true
		where proof_state = 'failed' and stands.word = 'proof-failed' and (?::uuid is null or site.customer_id = ?::uuid)
		order by proof_since desc limit ?`,
		[customerId, customerId, limit]
	);
	return rows;
}
