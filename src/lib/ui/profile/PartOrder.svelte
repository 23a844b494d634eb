<script lang="ts" module>
	import type { Field } from '$core/profile';

	/** A part as a profile uses it. */
	export interface UsedPart {
		readonly partId: string;
		readonly revisionId: string;
		readonly name: string;
		readonly number: number;
		readonly fields: readonly Field[];
	}
</script>

<script lang="ts">
	import { Button } from 'flowbite-svelte';
	import ArrowDownOutline from 'flowbite-svelte-icons/ArrowDownOutline.svelte';
	import ArrowUpOutline from 'flowbite-svelte-icons/ArrowUpOutline.svelte';
	import { dndzone } from 'svelte-dnd-action';
	import { FormField } from '../kit';

	/** A profile's parts in their order: dragged, or moved by keys; others of the library are added. */
	interface Props {
		parts: UsedPart[];
		library: readonly (UsedPart & { readonly dialects: readonly string[] })[];
		writing: boolean;
	}
	let { parts = $bindable(), library, writing }: Props = $props();

	/** The parts as they are being dragged. */
	type Ordered = UsedPart & { readonly id: string };
	let dragged = $state<Ordered[] | null>(null);
	const ordered = $derived(dragged ?? parts.map((part) => ({ ...part, id: part.partId })));
	const newestOf = (id: string) => library.find(({ partId }) => partId === id);
	const free = $derived(library.filter(({ partId }) => !parts.some((one) => one.partId === partId)));
	let adding = $state('');

	const asUsed = ({ partId, revisionId, name, number, fields }: UsedPart): UsedPart => ({
		partId,
		revisionId,
		name,
		number,
		fields
	});
	function move(index: number, by: -1 | 1) {
		const [part] = parts.splice(index, 1);
		parts.splice(index + by, 0, part!);
	}
	function add() {
		const part = newestOf(adding);
		if (part) parts.push(asUsed(part));
		adding = '';
	}
</script>

<ol
	class="sheet"
	aria-label="Parts"
	use:dndzone={{ items: ordered, flipDurationMs: 120, dragDisabled: !writing, type: 'parts' }}
	onconsider={({ detail }) => (dragged = detail.items as Ordered[])}
	onfinalize={({ detail }) => {
		dragged = null;
		parts = (detail.items as Ordered[]).flatMap(({ id }) => parts.find(({ partId }) => partId === id) ?? []);
	}}
>
	{#each ordered as part, index (part.id)}
		{@const latest = newestOf(part.partId)}
		<li class="flex flex-wrap items-center gap-3" aria-label={part.name}>
			<span class="quiet w-5">{index + 1}</span>
			<a href="/profiles/parts/{part.partId}?revision={part.number}" class="font-semibold">{part.name}</a>
			<span class="quiet">revision {part.number}</span>
			{#if latest && latest.number > part.number}
				{#if writing}<Button size="xs" color="alternative" onclick={() => (parts[index] = asUsed(latest))}
						>Take up revision {latest.number}</Button
					>{:else}<span>revision {latest.number} is out</span>{/if}
			{/if}
			{#if writing}
				<span class="ml-auto flex gap-1">
					<Button
						size="xs"
						color="alternative"
						disabled={index === 0}
						aria-label="Move {part.name} up"
						onclick={() => move(index, -1)}><ArrowUpOutline class="h-4 w-4" /></Button
					>
					<Button
						size="xs"
						color="alternative"
						disabled={index === parts.length - 1}
						aria-label="Move {part.name} down"
						onclick={() => move(index, 1)}><ArrowDownOutline class="h-4 w-4" /></Button
					>
					<Button
						size="xs"
						color="alternative"
						aria-label="Take out {part.name}"
						onclick={() => (parts = parts.filter(({ partId }) => partId !== part.partId))}>Take out</Button
					>
				</span>
			{/if}
		</li>
	{/each}
</ol>
{#if parts.length === 0}<p class="mt-2">There is no part in it yet.</p>{/if}
{#if writing && free.length > 0}
	<p class="mt-2 flex flex-wrap items-end gap-3">
		<FormField
			label="Part to add"
			kind="select"
			class="grow"
			bind:value={adding}
			none="Choose a part to add"
			items={free.map(({ partId, name, dialects }) => ({
				value: partId,
				name: `${name} (${dialects.join(', ')})`
			}))}
		/>
		<Button size="sm" disabled={adding === ''} onclick={add}>Add part</Button>
	</p>
	<p class="quiet mt-1">
		Drag parts to order them, or choose one with Space and move it with the arrow keys.
	</p>
{/if}
