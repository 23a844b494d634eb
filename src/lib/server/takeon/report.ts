import { groupsOfTakeOn, unitsOfTakeOn } from './store';

const HEADINGS = [
	'unit',
	'lines',
	'model',
	'profile',
	'site',
	'position',
	'in the plan',
	'proof',
	'statements of its own',
	'why not'
];

/** What became of each unit, with headings: a list to take away. */
export async function reportOfTakeOn(id: string): Promise<readonly (readonly string[])[]> {
	const [units, groups] = await Promise.all([unitsOfTakeOn(id), groupsOfTakeOn(id)]);
	const groupOf = new Map(groups.map((group) => [group.id, group]));
	const proofs = new Map(
		groups.flatMap(({ result }) => result?.proofs.map((proof) => [proof.id, proof] as const) ?? [])
	);
	return [
		HEADINGS,
		...units.map((unit) => {
			const proof = proofs.get(unit.id);
			const group = groupOf.get(unit.groupId ?? '');
			return [
				unit.name,
				String(unit.lines),
				unit.model ?? '',
				group?.profile ?? '',
				unit.site,
				unit.position,
				unit.positionId === null ? 'no' : 'yes',
				proof ? (proof.holds ? 'holds' : 'does not hold') : '',
				proof ? String(proof.own.length) : '',
				unit.unread ||
					(proof && !proof.holds ? proof.problems.join(' ') || 'Something is left that is not equal.' : '')
			];
		})
	];
}
