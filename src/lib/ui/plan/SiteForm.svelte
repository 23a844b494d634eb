<script lang="ts" module>
	import type { SiteFacts } from '$core/plan';

	export interface EditedSite {
		readonly facts: SiteFacts;
		/** In the site's own time, `2026-12-01 09:30`; empty when none is made. */
		readonly appointment: string;
		readonly minutes: number;
		readonly technicianId: string | null;
	}
</script>

<script lang="ts">
	import { untrack, type Snippet } from 'svelte';
	import { UPLINKS } from '$core/plan';

	/** The facts of a site, as fields of a form; whoever uses it brings the form and its buttons. */
	interface Props {
		site: EditedSite;
		technicians: readonly { readonly id: string; readonly name: string }[];
		children: Snippet;
	}
	let { site, technicians, children }: Props = $props();

	const zones = Intl.supportedValuesOf('timeZone');
	// What somebody types stays while the page's data comes anew
	const begun = untrack(() => site);
	let uplink = $state(begun.facts.uplink);
</script>

<fieldset>
	<legend>Where</legend>
	<label class="w-64"
		>Site <input name="name" class="field" value={begun.facts.name} required maxlength="120" /></label
	>
	<label class="w-64"
		>Street <input name="street" class="field" value={begun.facts.street} maxlength="200" /></label
	>
	<label class="w-44"
		>Locality <input name="locality" class="field" value={begun.facts.locality} maxlength="120" /></label
	>
	<label class="w-44"
		>Country <input name="country" class="field" value={begun.facts.country} maxlength="80" /></label
	>
	<label class="w-36"
		>Latitude <input
			name="latitude"
			class="field mono"
			value={begun.facts.latitude ?? ''}
			inputmode="text"
			placeholder="-41.2665"
		/></label
	>
	<label class="w-36"
		>Longitude <input
			name="longitude"
			class="field mono"
			value={begun.facts.longitude ?? ''}
			inputmode="text"
			placeholder="173.2790"
		/></label
	>
	<label class="grow basis-full"
		>How to get there <textarea name="directions" class="field" rows="2" maxlength="2000"
			>{begun.facts.directions}</textarea
		></label
	>
</fieldset>
<fieldset>
	<legend>When</legend>
	<label class="w-64"
		>Time zone <input
			name="timeZone"
			class="field"
			list="zones"
			value={begun.facts.timeZone}
			required
			spellcheck="false"
		/><datalist id="zones"
			>{#each zones as zone (zone)}<option value={zone}></option>{/each}</datalist
		></label
	>
	<label class="w-52"
		>Appointment, in the site’s time <input
			name="appointment"
			class="field mono"
			value={begun.appointment}
			placeholder="2026-12-01 09:30"
		/></label
	>
	<label class="w-32"
		>Minutes <input name="minutes" class="field mono" value={begun.minutes} inputmode="numeric" /></label
	>
	<label class="w-56"
		>Technician <select name="technician" class="field" value={begun.technicianId ?? ''}
			><option value="">nobody yet</option>{#each technicians as person (person.id)}<option value={person.id}
					>{person.name}</option
				>{/each}</select
		></label
	>
	<label class="grow"
		>Access hours <input
			name="accessHours"
			class="field"
			value={begun.facts.accessHours}
			maxlength="500"
			placeholder="Mon to Fri 8 to 17, ring at the back"
		/></label
	>
</fieldset>
<fieldset>
	<legend>Who is there</legend>
	<label class="w-64"
		>Contact <input name="contact" class="field" value={begun.facts.contact} maxlength="120" /></label
	>
	<label class="w-52"
		>Telephone <input
			name="phone"
			type="tel"
			class="field mono"
			value={begun.facts.phone}
			maxlength="40"
		/></label
	>
</fieldset>
<fieldset>
	<legend>Uplink</legend>
	<label class="w-36"
		>Kind <select name="uplink" class="field" bind:value={uplink}
			>{#each UPLINKS as kind (kind)}<option>{kind}</option>{/each}</select
		></label
	>
	<label class="w-56"
		>Provider <input name="provider" class="field" value={begun.facts.provider} maxlength="120" /></label
	>
	<label class="w-56"
		>What they call the line <input
			name="circuit"
			class="field mono"
			value={begun.facts.circuit}
			maxlength="120"
		/></label
	>
	<label class="w-64" class:hidden={uplink !== 'cellular'}
		>SIM card (ICCID) <input
			name="sim"
			class="field mono"
			value={begun.facts.sim}
			inputmode="numeric"
		/></label
	>
	<label class="w-56" class:hidden={uplink !== 'cellular'}
		>Access point name <input
			name="apn"
			class="field mono"
			value={begun.facts.apn}
			spellcheck="false"
			placeholder="iot.example"
		/></label
	>
</fieldset>
{@render children()}

<style>
	fieldset {
		display: flex;
		flex-wrap: wrap;
		gap: 0.6rem 1.1rem;
		margin-bottom: 1rem;
	}
	legend {
		font-weight: 700;
		margin-bottom: 0.35rem;
	}
</style>
