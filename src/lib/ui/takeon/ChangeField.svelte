<script lang="ts">
	import { Button } from 'flowbite-svelte';
	import type { LearntChoice, ShownField } from '$core/takeon';
	import { act } from '../forms';
	import { Dialog, FormField } from '../kit';

	/** What somebody may want otherwise of one field; each is proved at once, and can be taken back. */
	interface Props {
		group: string;
		field: ShownField;
		fields: readonly ShownField[];
		onclose: () => void;
	}
	let { group, field, fields, onclose }: Props = $props();
	let isOpen = $state(true);
	let to = $state('');
	let into = $state('');
	let own = $state('');
	let place = $state('0');
	$effect(() => {
		if (!isOpen) onclose();
	});
	const others = $derived(
		fields
			.filter((one) => one.name !== field.name && one.isSecret === field.isSecret)
			.map(({ name }) => ({ value: name, name }))
	);
	const places = $derived(
		Array.from({ length: field.places }, (_, at) => ({
			value: String(at),
			name: `place ${at + 1} of ${field.places}`
		}))
	);
</script>

{#snippet change(choice: LearntChoice, words: string)}<Button
		type="submit"
		size="xs"
		color="alternative"
		name="choice"
		value={JSON.stringify(choice)}>{words}</Button
	>{/snippet}

<Dialog bind:open={isOpen} title="Change {field.name}">
	<form
		method="POST"
		action="?/choose"
		class="grid gap-4"
		use:act={() =>
			async ({ update }) => {
				isOpen = false;
				await update();
			}}
	>
		<input type="hidden" name="group" value={group} />
		<div class="row">
			<FormField label="Another name" bind:value={to} maxlength={63} mono />
			{@render change({ kind: 'rename', field: field.name, to }, 'Rename it')}
		</div>
		{#if others.length > 0}<div class="row">
				<FormField
					label="It is the same as"
					kind="select"
					bind:value={into}
					items={others}
					none="another field"
				/>
				{@render change({ kind: 'merge', field: field.name, into }, 'Make them one')}
			</div>{/if}
		{#if field.places > 1}<div class="row">
				<FormField label="Another field at" kind="select" bind:value={place} items={places} />
				<FormField label="called" bind:value={own} maxlength={63} mono />
				{@render change({ kind: 'split', field: field.name, place: Number(place), to: own }, 'Part them')}
			</div>{/if}
		<div class="flex flex-wrap gap-2">
			{#if !field.isSecret}{@render change(
					{ kind: 'constant', field: field.name },
					'Put what most have into the text'
				)}{/if}
			{#if field.formula !== null}{@render change(
					{ kind: 'give', field: field.name },
					'Give it by hand, whatever it follows from'
				)}{:else if field.scope === 'position'}{@render change(
					{ kind: 'scope', field: field.name, scope: 'site' },
					'Expect it at the site'
				)}{:else}{@render change(
					{ kind: 'scope', field: field.name, scope: 'position' },
					'Expect it at each position'
				)}{/if}
		</div>
		<p class="quiet">
			Whoever has another keeps it as a statement of its own. All are proved again, and the last change can be
			taken back.
		</p>
	</form>
</Dialog>

<style>
	.row {
		display: flex;
		flex-wrap: wrap;
		align-items: flex-end;
		gap: 0.5rem;
	}
</style>
