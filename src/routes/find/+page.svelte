<script lang="ts">
	import { FormField, PageHead } from '$ui/kit';
	import { Button } from 'flowbite-svelte';
	import { goto } from '$app/navigation';
	import { Serial, When } from '$ui/marks';
	import { ScanLabel } from '$ui/scan';
	let { data } = $props();
</script>

<PageHead title={data.text ? `Found for “${data.text}”` : 'Find or scan'} />
<form class="mt-3 flex max-w-xl gap-2" role="search">
	<FormField
		label="Serial number, MAC address or site"
		bare
		kind="search"
		mono
		class="w-full bg-[var(--sheet)]"
		name="q"
		stored={data.text}
		autofocus={data.text === ''}
		placeholder="Serial, MAC or site, any part"
		autocomplete="off"
		spellcheck="false"
		maxlength={200}
	/>
	<Button type="submit">Find</Button>
</form>
<div class="mt-3">
	<ScanLabel
		models={data.models}
		onread={([label]) => void goto(`/find?scan=1&q=${encodeURIComponent(label!.serial!)}`)}
	/>
</div>
{#if data.claimable}
	<p class="sheet mt-4 p-5">
		This is a valid serial number that nobody has claimed here. <a
			href="/intake?serial={encodeURIComponent(data.claimable)}">Claim it</a
		>
	</p>
{:else if data.text && data.units.length === 0 && data.retired.length === 0 && data.sites.length === 0}
	<p class="sheet mt-4 p-5">
		No unit and no site fits. Two characters of a serial number are enough; check 0 and O, 1 and I, 8 and B, 5
		and S.
	</p>
{/if}
{#if data.retired.length > 0}
	<h2 class="mt-4">Retired units</h2>
	<ul class="sheet mt-2">
		{#each data.retired as unit (unit.id)}<li class="flex flex-wrap gap-x-5">
				<a href="/units/retired/{unit.id}"><Serial serial={unit.serial} /></a><span>{unit.modelName}</span
				><span class="quiet">{unit.customerName}, retired <When at={unit.retiredAt} /></span>
			</li>{/each}
	</ul>
{/if}
{#if data.units.length > 0}
	<h2 class="mt-5">Units</h2>
	<ul class="sheet mt-2">
		{#each data.units as unit (unit.id)}<li class="flex flex-wrap gap-x-5">
				<a href="/units/{unit.id}"><Serial serial={unit.serial} /></a><span>{unit.modelName}</span><span
					class="quiet">{unit.siteName ? `${unit.siteName}, ${unit.positionName}` : 'not bound'}</span
				>
			</li>{/each}
	</ul>
{/if}
{#if data.sites.length > 0}
	<h2 class="mt-5">Sites</h2>
	<ul class="sheet mt-2">
		{#each data.sites as site (site.id)}<li class="flex flex-wrap gap-x-5">
				<a href="/sites/{site.id}">{site.name}</a><span class="quiet"
					>{site.street}, {site.locality} · {site.customerName}</span
				>
			</li>{/each}
	</ul>
{/if}
