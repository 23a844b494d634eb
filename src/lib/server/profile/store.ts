import { database } from '../database';

export interface ProfileRow {
	readonly id: string;
	readonly name: string;
	readonly roleName: string;
	readonly dialect: string;
	readonly positions: number;
	readonly revisionNumber: number | null;
	readonly releasedAt: Date | null;
	readonly targetVersion: string | null;
}

const profiles = () =>
	database()('profile')
		.join('role', 'role.id', 'profile.role_id')
		.leftJoin('profile_revision as revision', 'revision.id', 'profile.released_revision_id')
		.orderBy('profile.name')
		.select<ProfileRow[]>(
			'profile.id', 'profile.name', 'role.name as roleName', 'profile.dialect', 'revision.number as revisionNumber',
			'revision.released_at as releasedAt', 'revision.target_version as targetVersion',
			database().raw('(select count(*)::int from position where position.profile_id = profile.id) as positions')
		); // prettier-ignore

export const allProfiles = (): Promise<ProfileRow[]> => profiles();
export const profileById = async (id: string): Promise<ProfileRow | undefined> =>
	(await profiles().where('profile.id', id))[0];

export interface RevisionRow {
	readonly id: string;
	readonly number: number;
	readonly state: 'draft' | 'released';
	readonly text: string;
	readonly values: Readonly<Record<string, string | number | boolean>>;
	readonly targetVersion: string | null;
	readonly preScript: string | null;
	readonly postScript: string | null;
	readonly note: string;
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
			'text',
			'values',
			'target_version as targetVersion',
			'pre_script as preScript',
			'post_script as postScript',
			'note',
			'released_at as releasedAt'
		);
