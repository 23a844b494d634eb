<script lang="ts">
	import { onMount } from 'svelte';
	import { Button } from 'flowbite-svelte';
	import { act } from '$ui/forms';
	import { Facts, PageHead } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { Serial, When } from '$ui/marks';
	import { FormWords } from '$ui/people';

	let { data, form } = $props();
	onMount(() => refreshOn(['runs', 'units', 'callers']));
</script>

<PageHead title="Whose key is it?">
	{#snippet about()}<a href="/arrivals">Arrivals</a><span
			>Somebody dialled home with a key that no unit has reported, as a unit does that was set up from a USB
			stick. Compare it with what the unit’s console shows; only then say which it is.</span
		>{/snippet}
</PageHead>
<FormWords {form} />
<section class="max-w-3xl" aria-label="The key">
	<Facts>
		<div>
			<dt>Fingerprint</dt>
			<dd class="mono break-all">{data.key.fingerprint}</dd>
		</div>
		<div>
			<dt>Kind</dt>
			<dd class="mono">{data.key.algorithm}</dd>
		</div>
		<div>
			<dt>From</dt>
			<dd class="mono">{data.key.address}</dd>
		</div>
		<div>
			<dt>Last</dt>
			<dd><When at={data.key.lastAt} /></dd>
		</div>
	</Facts>
</section>
<h2 class="mt-5">Units on their way that have reported no key</h2>
{#if data.units.length === 0}<p class="quiet mt-1">
		There is none. Bind the unit to its position first.
	</p>{:else}
	<ul class="mt-2 grid max-w-3xl gap-2">
		{#each data.units as unit (unit.unitId)}
			<li class="sheet flex flex-wrap items-center justify-between gap-3 p-3" data-unit={unit.serial}>
				<div>
					<a href="/units/{unit.unitId}"><Serial serial={unit.serial} /></a>
					<span class="quiet">{unit.place}</span>
					{#if unit.bundledAt}<div class="quiet text-sm">
							Files for a USB stick were made for it <When at={unit.bundledAt} />.
						</div>{/if}
				</div>
				<form method="POST" use:act>
					<input type="hidden" name="unit" value={unit.unitId} />
					<Button type="submit" size="xs" color={unit.bundledAt ? 'primary' : 'alternative'}
						>It is this one<span class="sr-only">: {unit.serial}</span></Button
					>
				</form>
			</li>
		{/each}
	</ul>
{/if}
