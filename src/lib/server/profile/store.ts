import { database } from '../database';

export interface ProfileRow {
	readonly id: string;
	readonly name: string;
	readonly roleId: string;
	readonly roleName: string;
	readonly positions: number;
	readonly revisionNumber: number | null;
	readonly releasedRevisionId: string | null;
	readonly releasedAt: Date | null;
	readonly releasedBy: string | null;
	/** The number of the draft that is being written. */
	readonly draft: number | null;
	readonly parts: number;
}

const profiles = () =>
	database()('profile')
		.join('role', 'role.id', 'profile.role_id')
		.leftJoin('profile_revision as revision', 'revision.id', 'profile.released_revision_id')
		.leftJoin('profile_revision as draft', (on) =>
			on.on('draft.profile_id', 'profile.id').andOnVal('draft.state', 'draft')
		)
		.whereNull('profile.retired_at')
		.orderBy('profile.name')
		.select<ProfileRow[]>(
			'profile.id', 'profile.name', 'role.id as roleId', 'role.name as roleName', 'revision.number as revisionNumber',
			'revision.id as releasedRevisionId', 'revision.released_at as releasedAt', 'revision.released_by as releasedBy',
			'draft.number as draft',
			database().raw('(select count(*)::int from profile_part where revision_id = coalesce(revision.id, draft.id)) as parts'),
			database().raw('(select count(*)::int from position where position.profile_id = profile.id) as positions')
		); // prettier-ignore

export const allProfiles = (): Promise<ProfileRow[]> => profiles();

/** What the profiles are called, for those who choose one: how much each has is counted by others. */
export const profileNames = (): Promise<Pick<ProfileRow, 'id' | 'name' | 'roleId' | 'roleName'>[]> =>
	database()('profile')
		.join('role', 'role.id', 'profile.role_id')
		.whereNull('profile.retired_at')
		.orderBy('profile.name')
		.select('profile.id', 'profile.name', 'role.id as roleId', 'role.name as roleName');

export const profileById = async (id: string): Promise<ProfileRow | undefined> =>
	(await profiles().where('profile.id', id))[0];

export interface RevisionRow {
	readonly id: string;
	readonly number: number;
	readonly state: 'draft' | 'released';
	readonly note: string;
	readonly editedBy: string;
	readonly editedAt: Date;
	readonly releasedBy: string | null;
	readonly releasedAt: Date | null;
}

export const revisionsOf = (profileId: string): Promise<RevisionRow[]> =>
	database()('profile_revision')
		.where({ profile_id: profileId })
		.orderBy('number', 'desc')
		.select(
			'id',
			'number',
			'state',
			'note',
			'edited_by as editedBy',
			'edited_at as editedAt',
			'released_by as releasedBy',
			'released_at as releasedAt'
		);

export const allRoles = (): Promise<{ id: string; name: string }[]> =>
	database()('role').orderBy('name').select('id', 'name');

/** The profiles that a customer’s positions follow, and how many do. */
export async function profilesFollowedAt(
	customerId: string
): Promise<readonly { readonly id: string; readonly name: string; readonly positions: number }[]> {
	const { rows } = await database().raw(
		`select profile.id, profile.name, count(*)::int as positions from position join profile on profile.id = position.profile_id
		where position.customer_id = ? and released_revision_id is not null group by profile.id order by profile.name`,
		[customerId]
	);
	return rows;
}
