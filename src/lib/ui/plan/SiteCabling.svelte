<script lang="ts">
	import { untrack } from 'svelte';
	import { Button } from 'flowbite-svelte';
	import { portTitle, type Cable, type CableEnd, type CablingProblem } from '$core/plan';
	import { act } from '$ui/forms';
	import { Form, Notice } from '$ui/kit';
	import CablingEditor, { type EditedCable } from './CablingEditor.svelte';

	/** How a site is cabled: which port goes where, told or edited. */
	interface Props {
		cabling: {
			readonly siteId: string;
			readonly positions: readonly {
				readonly id: string;
				readonly name: string;
				readonly portNames: Readonly<Record<string, string>>;
			}[];
			readonly cables: readonly Cable[];
			readonly isDecided: boolean;
			readonly problems: readonly CablingProblem[];
		};
		mayPlan: boolean;
		editing: boolean;
	}
	let { cabling, mayPlan, editing }: Props = $props();

	const edited = ({ positionId, port }: CableEnd) => ({ key: positionId, port });
	let cables = $state(
		untrack(() =>
			cabling.cables.map(({ near, far }): EditedCable => ({ near: edited(near), far: far && edited(far) }))
		)
	);
	const sent = $derived(
		JSON.stringify(
			cables.map(({ near, far }) => ({
				near: { positionId: near.key, port: near.port },
				far: far && { positionId: far.key, port: far.port }
			}))
		)
	);
	const endWords = ({ positionId, port }: CableEnd): string => {
		const position = cabling.positions.find(({ id }) => id === positionId);
		const printed = position?.portNames[port];
		return `${position?.name ?? 'a position that is gone'}, ${printed ? `port ${printed} (${portTitle(port)})` : `port ${portTitle(port)}`}`;
	};
</script>

<section class="mt-6" aria-labelledby="cabling">
	<div class="flex flex-wrap items-baseline justify-between gap-x-4">
		<h2 id="cabling">Cabling</h2>
		{#if mayPlan && !editing}
			<span class="flex items-center gap-2"
				><Button href="?cabling#cabling" size="xs" color="alternative" data-sveltekit-noscroll
					>Edit the cabling</Button
				>
				{#if cabling.isDecided}<form method="POST" action="?/propose" use:act>
						<Button type="submit" size="xs" color="alternative">Cable it as proposed</Button>
					</form>{/if}</span
			>
		{/if}
	</div>
	{#each cabling.problems as { kind, message } (message)}<Notice
			kind={kind === 'wrong' ? 'wrong' : 'careful'}
			class="mt-2">{message}</Notice
		>{/each}
	{#if editing}
		<Form action="?/cable&cabling" stays class="sheet mt-2 p-4">
			{#snippet children({ busy })}
				<input type="hidden" name="cables" value={sent} />
				<CablingEditor
					positions={cabling.positions.map(({ id, name, portNames }) => ({
						key: id,
						name,
						ports: portNames
					}))}
					bind:cables
				/>
				<p class="mt-4">
					<Button type="submit" size="sm" disabled={busy}>Save the cabling</Button>
					<a href="/sites/{cabling.siteId}" class="ml-4">Leave it as it is</a>
				</p>
			{/snippet}
		</Form>
	{:else}
		{#if !cabling.isDecided && cabling.cables.length > 0}<p class="quiet">
				As proposed; nobody has decided on it. Cards follow it.
			</p>{/if}
		<ul class="sheet mt-2 divide-y divide-[var(--hairline)]" aria-label="Cables">
			{#each cabling.cables as { near, far } (`${near.positionId} ${near.port}`)}
				<li class="grid gap-x-4 px-3 py-1.5 sm:grid-cols-2">
					<span>{endWords(near)}</span>
					<span><span class="quiet">to</span> {far ? endWords(far) : 'the provider’s socket'}</span>
				</li>
			{:else}<li class="quiet px-3 py-2">No cable is planned.</li>{/each}
		</ul>
	{/if}
</section>
