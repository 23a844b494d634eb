<script lang="ts">
	import { Button } from 'flowbite-svelte';
	import type { Link, SurveyedThing } from '$core/survey';
	import { Standing, Serial } from '../marks';
	import { outcomeShown, whatItIs } from './words';

	/** What was found out about one thing, and why it was taken for one. */
	interface Props {
		thing: SurveyedThing;
		links: readonly Link[];
		nameOf: (key: string) => string;
		modelName: (model: string) => string;
		changes: readonly string[];
		onshow: (key: string) => void;
	}
	let { thing, links, nameOf, modelName, changes, onshow }: Props = $props();
	const shown = $derived(outcomeShown(thing.outcome));
	const cables = $derived(
		links.flatMap(({ from, to, seen, speed }) => {
			const ends = from.thing === thing.key ? [from, to] : to.thing === thing.key ? [to, from] : null;
			return ends ? [{ own: ends[0]!, far: ends[1]!, seen, speed }] : [];
		})
	);
	const SEEN = { both: '', one: 'the other end does not say so', unasked: '' } as const;
	const guess = { name: 'by its name', neighbour: 'by what it hangs on', address: 'by its address' } as const;
</script>

<section class="sheet p-4" aria-label="What was chosen">
	<h2 class="wrap-anywhere">{thing.name}</h2>
	<p><Standing standing={shown[0]} word={shown[1]} /></p>
	{#if thing.words}<p class="quiet mt-1 wrap-anywhere">{thing.words}</p>{/if}
	<dl class="mt-2">
		{#if thing.serial}<dt>Serial</dt>
			<dd>
				{#if thing.known}<a href="/units/{thing.known.unitId}"><Serial serial={thing.serial} /></a
					>{:else}<Serial serial={thing.serial} />{/if}
			</dd>{/if}
		{#if whatItIs(thing, modelName)}<dt>Is</dt>
			<dd class="wrap-anywhere">{whatItIs(thing, modelName)}</dd>{/if}
		{#if thing.addresses.length > 0}<dt>At</dt>
			<dd class="mono wrap-anywhere">{thing.addresses.join(', ')}</dd>{/if}
		{#if thing.mac}<dt>MAC</dt>
			<dd class="mono wrap-anywhere">{thing.mac}</dd>{/if}
		<dt>Group</dt>
		<dd>
			{thing.group}{#if thing.guessedBy}<span class="quiet">, guessed {guess[thing.guessedBy]}</span>{/if}
		</dd>
		{#if thing.known?.position}<dt>In Limen</dt>
			<dd>{thing.known.site}, {thing.known.position}</dd>{/if}
	</dl>
	{#if changes.length > 0}<p class="mt-2"><b>Changed</b>: {changes.join('; ')}</p>{/if}
	{#if cables.length > 0}<h3 class="mt-3">Plugged into</h3>
		<ul class="cables">
			{#each cables as { own, far, seen, speed }, index (index)}<li>
					<span class="mono">{own.port || '?'}</span> –
					<Button type="button" size="xs" color="alternative" onclick={() => onshow(far.thing)}
						>{nameOf(far.thing)}</Button
					>
					<span class="mono">{far.port}</span>
					<span class="quiet">{[speed ? `${speed} Mbit/s` : '', SEEN[seen]].filter(Boolean).join(', ')}</span>
				</li>{/each}
		</ul>{/if}
	{#if thing.why.length > 0}<h3 class="mt-3">Why this is one</h3>
		<ul class="why">
			{#each thing.why as why, index (index)}<li class="quiet wrap-anywhere">{why}</li>{/each}
		</ul>{/if}
</section>

<style>
	dl {
		display: grid;
		grid-template-columns: max-content minmax(0, 1fr);
		gap: 0.15rem 0.75rem;
	}
	dt {
		color: var(--quiet);
	}
	.cables li {
		display: flex;
		flex-wrap: wrap;
		align-items: baseline;
		gap: 0.35rem;
		margin-top: 0.25rem;
	}
	.why {
		list-style: disc;
		padding-left: 1.1rem;
	}
</style>
