<script lang="ts" module>
	import type { SiteFacts } from '$core/plan';

	export interface EditedSite {
		readonly facts: SiteFacts;
		/** In the site's own time, `2026-12-01 09:30`; empty when none is made. */
		readonly appointment: string;
		readonly minutes: number;
		readonly technicianId: string | null;
		/** The state of the site that is changed; who changed it meanwhile is not overwritten. */
		readonly edit?: number;
	}
</script>

<script lang="ts">
	import { DateField, FormField } from '$ui/kit';
	import { tick, untrack } from 'svelte';
	import { Button } from 'flowbite-svelte';
	import MapPinOutline from 'flowbite-svelte-icons/MapPinOutline.svelte';
	import { SiteMap } from '../charts';
	import { UPLINK_KINDS, UPLINK_WORDS } from '$core/profile';

	/** The facts of a site, as fields of a form. */
	interface Props {
		site: EditedSite;
		technicians: readonly { readonly id: string; readonly name: string }[];
		/** Where the map begins when the site has no place yet. */
		around?: { readonly latitude: number; readonly longitude: number } | null;
	}
	let { site, technicians, around = null }: Props = $props();

	const zones = Intl.supportedValuesOf('timeZone');
	// What somebody types stays while the page's data comes anew
	const begun = untrack(() => site);
	let uplink = $state(begun.facts.uplink);
	let zone = $state(begun.facts.timeZone);
	let latitude = $state(String(begun.facts.latitude ?? ''));
	let longitude = $state(String(begun.facts.longitude ?? ''));
	let onMap = $state(false);
	/** Where it is by what is typed, for the map. */
	const here = $derived.by(() => {
		const [north, east] = [Number(latitude), Number(longitude)];
		return latitude.trim() !== '' && longitude.trim() !== '' && Math.abs(north) <= 90 && Math.abs(east) <= 180
			? [{ id: 'here', name: '', latitude: north, longitude: east, standing: 'open' as const }]
			: [];
	});
	let form: HTMLElement | undefined = $state();
</script>

{#if begun.edit !== undefined}<input type="hidden" name="edit" value={begun.edit} />{/if}
<fieldset>
	<legend>Where</legend>
	<FormField label="Site" class="w-64" name="name" stored={begun.facts.name} required maxlength={120} />
	<FormField label="Street" class="w-64" name="street" stored={begun.facts.street} maxlength={200} />
	<FormField label="Locality" class="w-44" name="locality" stored={begun.facts.locality} maxlength={120} />
	<FormField label="Country" class="w-44" name="country" stored={begun.facts.country} maxlength={80} />
	<FormField
		label="Latitude"
		mono
		class="w-36"
		name="latitude"
		bind:value={latitude}
		placeholder="-41.2665"
	/>
	<FormField
		label="Longitude"
		mono
		class="w-36"
		name="longitude"
		bind:value={longitude}
		placeholder="173.2790"
	/>
	<Button size="sm" color="alternative" class="self-end" onclick={() => (onMap = !onMap)}
		><MapPinOutline class="me-1 h-4 w-4" />{onMap ? 'Close the map' : 'Choose on the map'}</Button
	>
	{#if onMap}<div class="basis-full" bind:this={form}>
			<SiteMap
				sites={here}
				chosen="here"
				title="Click where it is"
				span={begun.facts.latitude === null ? 6 : 0.4}
				height={260}
				{around}
				onpick={(north, east) => {
					[latitude, longitude] = [String(north), String(east)];
					// Whoever watches the form hears of it
					void tick().then(() => form?.dispatchEvent(new Event('input', { bubbles: true })));
				}}
			/>
		</div>{/if}
	<FormField
		label="How to get there"
		kind="lines"
		class="grow basis-full"
		name="directions"
		rows={2}
		maxlength={2000}
		stored={begun.facts.directions}
	/>
</fieldset>
<fieldset>
	<legend>Who is there</legend>
	<FormField label="Contact" class="w-64" name="contact" stored={begun.facts.contact} maxlength={120} />
	<FormField
		label="Telephone"
		kind="tel"
		mono
		class="w-52"
		name="phone"
		stored={begun.facts.phone}
		maxlength={40}
	/>
	<FormField
		label="Access hours"
		class="grow"
		name="accessHours"
		stored={begun.facts.accessHours}
		maxlength={500}
		placeholder="Mon to Fri 8 to 17, ring at the back"
	/>
</fieldset>
<fieldset>
	<legend>Uplink</legend>
	<FormField label="Kind" kind="select" class="w-36" name="uplink" bind:value={uplink}
		>{#each UPLINK_KINDS as kind (kind)}<option value={kind}>{UPLINK_WORDS[kind]}</option>{/each}</FormField
	>
	<FormField label="Provider" class="w-56" name="provider" stored={begun.facts.provider} maxlength={120} />
	<FormField
		label="What they call the line"
		mono
		class="w-56"
		name="circuit"
		stored={begun.facts.circuit}
		maxlength={120}
	/>
	<FormField
		label="SIM card (ICCID)"
		mono
		class={uplink === 'cellular' ? 'w-64' : 'hidden'}
		name="sim"
		stored={begun.facts.sim}
		inputmode="numeric"
	/>
	<FormField
		label="Access point name"
		mono
		class={uplink === 'cellular' ? 'w-56' : 'hidden'}
		name="apn"
		stored={begun.facts.apn}
		spellcheck="false"
		placeholder="iot.example"
	/>
</fieldset>
<fieldset>
	<legend>When</legend>
	<FormField
		label="Time zone"
		class="w-64"
		name="timeZone"
		list="zones"
		bind:value={zone}
		required
		spellcheck="false"
	/><datalist id="zones"
		>{#each zones as one (one)}<option value={one}></option>{/each}</datalist
	>
	<DateField
		label="Appointment"
		hint="In the site’s time, {zone}."
		class="w-96"
		name="appointment"
		value={begun.appointment}
		{zone}
	/>
	<FormField label="Minutes" mono class="w-28" name="minutes" stored={begun.minutes} inputmode="numeric" />
	<FormField
		label="Technician"
		kind="select"
		class="w-56"
		name="technician"
		stored={begun.technicianId ?? ''}
		none="nobody yet"
		items={technicians.map(({ id, name }) => ({ value: id, name }))}
	/>
</fieldset>

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
