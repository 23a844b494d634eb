import { RUN_STEPS } from '../onboarding';
import { PATHS } from '../reachability';
import type { ListDefinition } from './list';

/** What the lists of sites and of units can show, and be filtered and sorted by. */
export const SITE_LIST = {
	columns: [
		{ id: 'name', title: 'Site', width: 14, grows: true, sorts: true, usual: true },
		{ id: 'standing', title: 'How it stands', width: 13, sorts: true, usual: true },
		{ id: 'online', title: 'Online', width: 6, usual: true },
		{ id: 'place', title: 'Place', width: 15, grows: true, sorts: true, usual: true, wide: true },
		{ id: 'uplink', title: 'Uplink', width: 6, sorts: true, usual: true, wide: true },
		{ id: 'appointment', title: 'Appointment, site’s time', width: 14, sorts: true, usual: true, wide: true },
		{ id: 'technician', title: 'Technician', width: 10, sorts: true, wide: true },
		{ id: 'contact', title: 'Contact', width: 14, wide: true },
		{ id: 'pattern', title: 'Pattern', width: 9, sorts: true, wide: true },
		{ id: 'customer', title: 'Customer', width: 12, sorts: true, usual: true, wide: true }
	],
	filters: {
		standing: [
			'stuck',
			'proof-failed',
			'not-heard',
			'under way',
			'unproven',
			'waiting',
			'open',
			'online',
			'empty'
		],
		pattern: 'any'
	},
	sort: { column: 'name', descending: false }
} as const satisfies ListDefinition;

export const UNIT_LIST = {
	columns: [
		{ id: 'serial', title: 'Serial number', width: 11, sorts: true, usual: true },
		{ id: 'model', title: 'Model', width: 6, sorts: true, usual: true, wide: true },
		{ id: 'standing', title: 'How it stands', width: 17.4, sorts: true, usual: true },
		{ id: 'place', title: 'Position', width: 14.2, grows: true, sorts: true, usual: true },
		{ id: 'mac', title: 'MAC address', width: 11, wide: true },
		{ id: 'version', title: 'Version', width: 6.2, sorts: true, usual: true, wide: true },
		{ id: 'heard', title: 'Sign of life', width: 7.6, sorts: true, usual: true, wide: true },
		{ id: 'claimed', title: 'Claimed', width: 7.6, sorts: true, usual: true, wide: true },
		{ id: 'drift', title: 'Configuration', width: 10, sorts: true, wide: true },
		{ id: 'shipped', title: 'Shipped to', width: 12, sorts: true, wide: true },
		{ id: 'customer', title: 'Customer', width: 11, sorts: true, usual: true, wide: true }
	],
	filters: {
		standing: [
			'refused',
			'stuck',
			'stalled',
			'not-heard',
			'late',
			'moving',
			'waiting',
			'free',
			'online',
			'out of service'
		],
		model: 'any',
		version: 'any',
		batch: 'any',
		drift: ['as-intended', 'differs', 'unreadable', 'behind'],
		profile: 'any',
		/** A field of the plan: `name=value`, as its site, customer or position has it. */
		field: 'any',
		/** Claimed so many days ago, or more. */
		age: 'any',
		step: [...RUN_STEPS]
	},
	sort: { column: 'serial', descending: false }
} as const satisfies ListDefinition;

/** Pairs of places, by whether and how one reaches the other. */
export const REACH_LIST = {
	columns: [
		{ id: 'from', title: 'From', width: 14, grows: true, sorts: true, usual: true },
		{ id: 'to', title: 'To', width: 14, grows: true, sorts: true, usual: true },
		{ id: 'path', title: 'Path', width: 17, sorts: true, usual: true },
		{ id: 'milliseconds', title: 'There and back', width: 9, sorts: true, usual: true, wide: true },
		{ id: 'loss', title: 'Loss', width: 6, sorts: true, usual: true, wide: true },
		{ id: 'since', title: 'By this path since', width: 10, sorts: true, usual: true, wide: true },
		{ id: 'looked', title: 'Looked at', width: 9, sorts: true, usual: true, wide: true }
	],
	filters: { path: [...PATHS], customer: 'any', show: ['table'] },
	sort: { column: 'path', descending: false }
} as const satisfies ListDefinition;

/** So many rows are sent at a time. */
export const ROWS_AT_ONCE = 100;
