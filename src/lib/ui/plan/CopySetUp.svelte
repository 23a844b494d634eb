<script lang="ts" module>
	import type { Difference } from '$core/plan';

	export interface Copying {
		readonly siteId: string;
		readonly siteName: string;
		readonly differences: readonly Difference[];
	}
</script>

<script lang="ts">
	import { Button } from 'flowbite-svelte';
	import { goto } from '$app/navigation';
	import { counted } from '$core/text';
	import { act } from '../forms';
	import { FormField } from '../kit';
	import Differences from './Differences.svelte';

	/** Copies what is planned at one site to another of its customer; what would change is shown first. */
	interface Props {
		name: string;
		others: readonly { readonly id: string; readonly name: string }[];
		copy: Copying | null;
	}
	let { name, others, copy }: Props = $props();
</script>

<form method="POST" action="?/copy&copy={copy?.siteId ?? ''}" use:act class="sheet mt-4 p-4">
	<h2>Copy the set-up of {name}</h2>
	<p class="quiet mt-1">
		Positions, profiles and common values. What the other site has already stays; addresses, names and secrets
		are not copied.
	</p>
	<div class="mt-2 flex flex-wrap items-end gap-4">
		<FormField
			label="To"
			kind="select"
			class="w-72"
			name="to"
			value={copy?.siteId ?? ''}
			none="choose a site"
			items={others.map((one) => ({ value: one.id, name: one.name }))}
			onchange={({ currentTarget }) => void goto(`?copy=${currentTarget.value}`, { noScroll: true })}
		/>
		<Button type="submit" size="sm" disabled={!copy || copy.differences.length === 0}
			>Copy {copy ? counted(copy.differences.length, 'thing') : ''} to {copy?.siteName ?? 'it'}</Button
		>
	</div>
	{#if copy}<div class="mt-3">
			{#if copy.differences.length > 0}<Differences differences={copy.differences} />{:else}<p>
					It has all of it already.
				</p>{/if}
		</div>{/if}
</form>
