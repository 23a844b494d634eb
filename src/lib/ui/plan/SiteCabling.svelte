<script lang="ts">
	import { untrack } from 'svelte';
	import { Button } from 'flowbite-svelte';
	import { portTitle, type Cable, type CableEnd, type CablingProblem } from '$core/plan';
	import { act } from '$ui/forms';
	import { Form, Notice } from '$ui/kit';
	import type { ComparedCabling } from '$core/proof';
	import { CablingDrawing } from '../charts';
	import { Standing, When } from '../marks';
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
		/** What the units heard of it last. */
		found: (ComparedCabling & { readonly at: Date }) | null;
	}
	let { cabling, mayPlan, editing, found }: Props = $props();

	const STATES = {
		right: ['through', 'as planned'],
		half: ['late', 'seen by one end only'],
		elsewhere: ['stuck', 'in another port'],
		missing: ['stuck', 'not seen'],
		unread: ['open', 'not read']
	} as const;
	const elsewhere = $derived(found?.cables.filter(({ state }) => state === 'elsewhere') ?? []);
	const nameOf = (id: string) => cabling.positions.find((one) => one.id === id)?.name ?? '';

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
		<div class="beside">
			<div>
				<ul class="sheet mt-2" aria-label="Cables">
					{#each cabling.cables as { near, far }, index (`${near.positionId} ${near.port}`)}
						{@const seen = far ? (found?.cables[index] ?? null) : null}
						<li data-cable={nameOf(near.positionId)} data-state={seen?.state ?? 'unread'}>
							<span class="flex flex-wrap items-baseline justify-between gap-x-4">
								<span
									>{endWords(near)} <span class="quiet">to</span>
									{far ? endWords(far) : 'the provider’s socket'}</span
								>
								{#if seen}<Standing standing={STATES[seen.state][0]} word={STATES[seen.state][1]} />{/if}
							</span>
							{#if seen?.found}<span class="block"
									>It is in port <b class="mono">{seen.found.far}</b> of {nameOf(far!.positionId)}{seen.found
										.near === cabling.positions.find(({ id }) => id === near.positionId)?.portNames[near.port]
										? ''
										: `, from its own port ${seen.found.near}`}.</span
								>{/if}
						</li>
					{:else}<li class="quiet px-3 py-2">No cable is planned.</li>{/each}
					{#each found?.strangers ?? [] as one (`${one.positionId} ${one.port} ${one.chassis}`)}
						<li class="px-3 py-1.5" data-stranger={one.chassis}>
							<span class="flex flex-wrap items-baseline justify-between gap-x-4">
								<span
									>In port <b class="mono">{one.port}</b> of {nameOf(one.positionId)}:
									{one.own ?? (one.name || 'a device without a name')}{one.description
										? `, ${one.description}`
										: ''} <span class="mono quiet">{one.chassis}</span></span
								>
								<Standing standing="stuck" word={one.own ? 'not planned there' : 'not ours'} />
							</span>
						</li>
					{/each}
				</ul>
				{#if elsewhere.length > 0}
					<p class="mt-2">Move the cable to the port that is planned, and prove the site again.</p>
					{#if mayPlan}<form method="POST" action="?/accept" use:act class="mt-2">
							<Button type="submit" size="xs" color="alternative">It stays so: change the plan</Button>
						</form>{/if}
				{/if}
				{#if found}<p class="quiet mt-2">
						By what its units heard at their ports, <When at={found.at} />.
					</p>{/if}
			</div>
			{#if cabling.cables.length > 0}<div class="mt-3 overflow-x-auto">
					<CablingDrawing positions={cabling.positions} cables={cabling.cables} {found} />
				</div>{/if}
		</div>
	{/if}
</section>

<style>
	.beside {
		display: grid;
		grid-template-columns: minmax(0, 1fr) minmax(0, 26rem);
		gap: 0 1.5rem;
		align-items: start;
	}
	@media (max-width: 900px) {
		.beside {
			grid-template-columns: minmax(0, 1fr);
		}
	}
</style>
