import { error } from '@sveltejs/kit';
import * as v from 'valibot';
import { maskSecrets } from '$core/profile';
import { counted } from '$core/text';
import { refuse } from '$lib/server/act';
import {
	authoritiesOf,
	certificateDemands,
	demandCertificates,
	demandSchema,
	listSchema,
	loadRevocationList,
	revocationListsOf
} from '$lib/server/devices';
import { formAction, oneId } from '$lib/server/forms';
import { connectedOf, connectedUnit, currentPack, makerById, packsOf } from '$lib/server/packs';
import { demand } from '$lib/server/people';
import { askSchema, tryUnit } from '$lib/server/proof';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ locals, params, depends }) => {
	demand(locals, 'see profiles');
	depends('limen:live');
	const maker = await makerById(params.id);
	if (!maker) error(404, 'There is no such maker.');
	const [pack, versions, connected, authorities, lists, demands] = await Promise.all([
		currentPack(maker.id),
		packsOf(maker.id),
		connectedOf(maker.id),
		authoritiesOf(maker.id),
		revocationListsOf(maker.id),
		certificateDemands(maker.id)
	]);
	return {
		maker,
		versions,
		connected,
		devices: {
			authorities: authorities.map(({ subject, issuer, fingerprint, until }) => ({
				subject,
				issuer,
				fingerprint,
				until
			})),
			lists,
			demands
		},
		pack: pack && {
			notes: pack.notes,
			models: pack.models,
			talks: pack.talks,
			firmware: Object.entries(pack.firmware).map(([line, { versions: known, grammar }]) => ({
				line,
				versions: known,
				hasGrammar: grammar !== undefined
			}))
		}
	};
};

const NO_UNIT = 'Choose a unit.';
export const actions: Actions = {
	revoke: formAction(listSchema, {
		of: 'edit profiles',
		act: async ({ list }, actor, { params }) =>
			loadRevocationList(params.id!, new Uint8Array(await list.arrayBuffer()), actor),
		said: ({ revoked, subject }) =>
			`The list of ${subject} is in use: ${counted(revoked, 'certificate')} ${revoked === 1 ? 'counts' : 'count'} no longer.`
	}),
	want: formAction(demandSchema, {
		act: (given, actor, { params }) => demandCertificates(params.id!, given, actor),
		said: (_done, { wanted }) =>
			wanted === 'yes'
				? 'From now on its units have to show a certificate.'
				: 'From now on a claim code alone will do.'
	}),
	ask: formAction(v.object({ ...askSchema.entries, unit: oneId(NO_UNIT) }), {
		act: async ({ unit: unitId, ...asking }, _actor, { locals, params }) => {
			const unit = await connectedUnit(params.id!, unitId);
			if (!unit) return refuse('The unit is not connected at this moment.');
			demand(locals, 'see renderings', unit.customerId);
			return tryUnit(unit, asking);
		},
		said: ({ printed, trial }) => ({
			said: '',
			trial: 'configuration' in trial ? { ...trial, configuration: maskSecrets(trial.configuration) } : trial,
			printed: maskSecrets(printed)
		})
	})
};
