<script lang="ts" module>
	export interface ProfileChoice {
		readonly id: string;
		readonly name: string;
		readonly roleId: string;
		readonly roleName: string;
		/** That models of its role have, by what they are for. */
		readonly ports: readonly string[];
		readonly fields: readonly {
			readonly name: string;
			readonly target: 'site' | 'position';
			readonly accepts: string;
			readonly description: string;
			readonly otherwise: string;
		}[];
	}
	export interface EditedPattern {
		id: string | null;
		edit: number;
		name: string;
		note: string;
		siteValues: Record<string, string>;
		places: {
			id: string | null;
			name: string;
			profileId: string;
			/** The position to which its sites' tunnels lead. */
			tunnelTo: string | null;
			values: Record<string, string>;
		}[];
		/** Between its places, which are counted; null: each site is cabled as proposed. */
		cables: { near: CountedEnd; far: CountedEnd | null }[] | null;
	}
	interface CountedEnd {
		place: number;
		port: string;
	}
</script>

<script lang="ts">
	import { proposeCabling } from '$core/plan';
	import { FormField } from '$ui/kit';
	import { untrack } from 'svelte';
	import { Button, Checkbox } from 'flowbite-svelte';
	import { act } from '$ui/forms';
	import CablingEditor, { type EditedCable } from './CablingEditor.svelte';

	/** Writes a site pattern: positions with their profiles, and the values that all its sites have in common. */
	interface Props {
		pattern: EditedPattern;
		profiles: readonly ProfileChoice[];
		customerId: string;
		mayWrite: boolean;
		/** Where a tunnel can lead. */
		tunnelEnds: readonly { readonly id: string; readonly name: string }[];
	}
	let { pattern, profiles, customerId, mayWrite, tunnelEnds }: Props = $props();

	let draft = $state(untrack(() => $state.snapshot(pattern) as EditedPattern));
	const profileOf = (id: string) => profiles.find((profile) => profile.id === id);
	const fieldsOf = (id: string, target: 'site' | 'position') =>
		profileOf(id)?.fields.filter((field) => field.target === target) ?? [];
	const siteFields = $derived([
		...new Map(
			draft.places
				.flatMap(({ profileId }) => fieldsOf(profileId, 'site'))
				.map((field) => [field.name, field] as const)
		).values()
	]);

	/** Places are told apart by their number while they are edited. */
	const pluggable = $derived(
		draft.places.map(({ name, profileId }, index) => ({
			key: String(index),
			name,
			ports: Object.fromEntries((profileOf(profileId)?.ports ?? []).map((port) => [port, '']))
		}))
	);
	const editedEnd = ({ place, port }: { place: number; port: string }) => ({ key: String(place), port });
	const countedEnd = ({ key, port }: EditedCable['near']) => ({ place: Number(key), port });
	let decides = $state(untrack(() => pattern.cables !== null));
	let cables = $state<EditedCable[]>(
		untrack(() =>
			(pattern.cables ?? []).map(({ near, far }) => ({ near: editedEnd(near), far: far && editedEnd(far) }))
		)
	);
	/** Begins with what would be proposed. */
	function decide() {
		if (!decides || cables.length > 0) return;
		cables = proposeCabling(
			draft.places.map(({ name, profileId }, index) => ({
				id: String(index),
				name,
				roleId: profileOf(profileId)?.roleId ?? '',
				ports: profileOf(profileId)?.ports ?? []
			})),
			[],
			true
		).map(({ near, far }) => ({
			near: { key: near.positionId, port: near.port },
			far: far && { key: far.positionId, port: far.port }
		}));
	}
	const sent = $derived(
		JSON.stringify({
			...draft,
			cables: decides
				? cables.map(({ near, far }) => ({ near: countedEnd(near), far: far && countedEnd(far) }))
				: null
		})
	);
	/** Its cables go with it, and those of the places after it are counted anew. */
	function takeOut(index: number) {
		draft.places.splice(index, 1);
		const moved = ({ key, port }: EditedCable['near']) => ({
			key: String(Number(key) > index ? Number(key) - 1 : Number(key)),
			port
		});
		cables = cables
			.filter(({ near, far }) => near.key !== String(index) && far?.key !== String(index))
			.map(({ near, far }) => ({ near: moved(near), far: far && moved(far) }));
	}

	function add() {
		const first = profiles[0]!;
		draft.places.push({ id: null, name: '', profileId: first.id, tunnelTo: null, values: {} });
		requestAnimationFrame(() =>
			document.querySelector<HTMLInputElement>(`#place-${draft.places.length - 1}`)?.focus()
		);
	}
</script>

{#snippet values(fields: ProfileChoice['fields'], given: Record<string, string>, at: string)}
	<div class="grid gap-x-5 gap-y-2 md:grid-cols-2 xl:grid-cols-3">
		{#each fields as field (field.name)}
			<label
				><span class="mono">{field.name}</span>
				<span class="quiet block text-sm" title={field.accepts}>{field.description || field.accepts}</span>
				<FormField
					label="{at} {field.name}"
					bare
					mono
					bind:value={given[field.name]}
					placeholder={field.otherwise}
					disabled={!mayWrite}
					autocomplete="off"
					spellcheck="false"
				/></label
			>
		{/each}
	</div>
{/snippet}

<form
	method="POST"
	action="?/save"
	use:act={() =>
		({ update }) =>
			update({ reset: false })}
>
	<input type="hidden" name="customer" value={customerId} />
	<input type="hidden" name="pattern" value={sent} />
	<div class="flex flex-wrap gap-4">
		<FormField
			label="Name"
			class="w-72"
			bind:value={draft.name}
			required
			maxlength={120}
			placeholder="Small branch"
			disabled={!mayWrite}
			autocomplete="off"
		/>
		<FormField
			label="What it is for"
			class="grow"
			bind:value={draft.note}
			maxlength={1000}
			disabled={!mayWrite}
			autocomplete="off"
		/>
	</div>
	{#if siteFields.length > 0}
		<details class="mt-4" open={Object.values(draft.siteValues).some(Boolean)}>
			<summary class="cursor-pointer font-semibold">Given at every site</summary>
			<div class="mt-2">{@render values(siteFields, draft.siteValues, 'site')}</div>
		</details>
	{/if}
	<h2 class="mt-4">Positions</h2>
	<ol class="mt-1">
		{#each draft.places as place, index (place)}
			{@const fields = fieldsOf(place.profileId, 'position')}
			<li class="border-b border-[var(--hairline)] py-2">
				<div class="flex flex-wrap items-end gap-4">
					<FormField
						label="Position"
						class="w-44"
						id="place-{index}"
						bind:value={place.name}
						required
						maxlength={120}
						placeholder="gw-1"
						disabled={!mayWrite}
						autocomplete="off"
					/>
					<FormField
						label="Profile"
						kind="select"
						class="w-72"
						bind:value={place.profileId}
						disabled={!mayWrite}
						>{#each profiles as profile (profile.id)}<option value={profile.id}
								>{profile.name} ({profile.roleName})</option
							>{/each}</FormField
					>
					{#if tunnelEnds.length > 0 && ['router', 'gateway'].includes(profileOf(place.profileId)?.roleId ?? '')}
						<FormField
							label="Tunnel to"
							kind="select"
							class="w-72"
							bind:value={place.tunnelTo}
							disabled={!mayWrite}
							><option value={null}>none</option>{#each tunnelEnds as end (end.id)}<option value={end.id}
									>{end.name}</option
								>{/each}</FormField
						>
					{/if}
					{#if mayWrite && draft.places.length > 1}<Button
							size="xs"
							color="alternative"
							class="mb-1"
							aria-label="Take out {place.name || 'this position'}"
							onclick={() => takeOut(index)}>Take out</Button
						>{/if}
				</div>
				{#if fields.length > 0}
					<details class="mt-2" open={Object.values(place.values).some(Boolean)}>
						<summary class="cursor-pointer"
							>Values given at every {place.name || 'such position'}
							<span class="quiet">({Object.values(place.values).filter(Boolean).length} given)</span></summary
						>
						<div class="mt-2 pb-2">{@render values(fields, place.values, place.name)}</div>
					</details>
				{/if}
			</li>
		{/each}
	</ol>
	<h2 class="mt-5">Cabling</h2>
	<Checkbox class="mt-1" bind:checked={decides} onchange={decide} disabled={!mayWrite}
		>Say which port goes where; otherwise each site is cabled as proposed</Checkbox
	>
	{#if decides}<div class="mt-2">
			<CablingEditor positions={pluggable} bind:cables disabled={!mayWrite} />
		</div>{/if}
	{#if mayWrite}
		<div class="mt-5 flex flex-wrap gap-3">
			<Button type="button" size="sm" color="alternative" onclick={add} disabled={profiles.length === 0}
				>Add a position</Button
			>
			<Button type="submit" size="sm">{draft.id ? 'Save the pattern' : 'Make the pattern'}</Button>
		</div>
		<p class="quiet mt-2">
			Addresses, names and secrets are not part of a pattern: each site has its own, from the pools or from
			the list it is stamped with.
		</p>
	{/if}
</form>
