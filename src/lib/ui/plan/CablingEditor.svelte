<script lang="ts" module>
	/** Where a cable can be plugged in. */
	export interface Pluggable {
		readonly key: string;
		readonly name: string;
		/** From each port's name in the plan to what is printed beside it; empty where no model is known. */
		readonly ports: Readonly<Record<string, string>>;
	}
	/** Both ends, as the position's key and the port; `far` null: the provider's socket. */
	export interface EditedCable {
		near: { key: string; port: string };
		far: { key: string; port: string } | null;
	}
</script>

<script lang="ts">
	import { Button } from 'flowbite-svelte';
	import { portTitle } from '$core/plan';
	import { FormField } from '$ui/kit';

	/** Plans cables one by one: each end is a port of a position; no port is offered twice. */
	let {
		positions,
		cables = $bindable(),
		disabled = false
	}: { positions: readonly Pluggable[]; cables: EditedCable[]; disabled?: boolean } = $props();

	const OUTSIDE = 'outside';
	const ends = $derived(
		positions.flatMap(({ key, name, ports }) =>
			Object.entries(ports).map(([port, printed]) => ({
				value: `${key} ${port}`,
				name: `${name || 'a position without a name'}: ${portTitle(port)}${printed ? ` (${printed})` : ''}`
			}))
		)
	);
	const valueOf = (end: EditedCable['near'] | null) => (end ? `${end.key} ${end.port}` : OUTSIDE);
	const endOf = (value: string): EditedCable['near'] => {
		const at = value.lastIndexOf(' ');
		return { key: value.slice(0, at), port: value.slice(at + 1) };
	};
	const taken = $derived(new Set(cables.flatMap(({ near, far }) => [valueOf(near), valueOf(far)])));
	const free = (own: string) => ends.filter(({ value }) => value === own || !taken.has(value));
	const next = $derived(ends.find(({ value }) => !taken.has(value)));
</script>

<ol class="cables" aria-label="Cables">
	{#each cables as cable, index (index)}
		<li>
			<FormField
				label="From"
				bare={index > 0}
				kind="select"
				value={valueOf(cable.near)}
				items={free(valueOf(cable.near))}
				{disabled}
				onchange={({ currentTarget }) => (cable.near = endOf(currentTarget.value))}
			/>
			<FormField
				label="To"
				bare={index > 0}
				kind="select"
				value={valueOf(cable.far)}
				items={[{ value: OUTSIDE, name: 'the provider’s socket' }, ...free(valueOf(cable.far))]}
				{disabled}
				onchange={({ currentTarget }) =>
					(cable.far = currentTarget.value === OUTSIDE ? null : endOf(currentTarget.value))}
			/>
			{#if !disabled}<Button
					size="xs"
					color="alternative"
					class="self-end"
					aria-label="Take out cable {index + 1}"
					onclick={() => cables.splice(index, 1)}>Take out</Button
				>{/if}
		</li>
	{/each}
</ol>
{#if !disabled}<Button
		size="xs"
		color="alternative"
		class="mt-2"
		disabled={!next}
		onclick={() => next && cables.push({ near: endOf(next.value), far: null })}>Add a cable</Button
	>{/if}

<style>
	.cables li {
		display: grid;
		grid-template-columns: minmax(0, 1fr) minmax(0, 1fr) auto;
		gap: 0.75rem;
		padding-block: 0.25rem;
	}
	@media (max-width: 640px) {
		.cables li {
			grid-template-columns: minmax(0, 1fr);
			border-bottom: 1px solid var(--hairline);
		}
	}
</style>
