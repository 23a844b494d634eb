<script lang="ts">
	import {
		Button,
		Checkbox,
		TableBody,
		TableBodyCell,
		TableBodyRow,
		TableHead,
		TableHeadCell
	} from 'flowbite-svelte';
	import { SvelteSet } from 'svelte/reactivity';
	import type { SurveyedThing } from '$core/survey';
	import { counted } from '$core/text';
	import { Form, FormField, Table } from '../kit';
	import { Standing } from '../marks';
	import { outcomeShown, whatItIs } from './words';

	/** All that a survey found, to be chosen from for a take-on. */
	interface Props {
		things: readonly SurveyedThing[];
		modelName: (model: string) => string;
		changed: Readonly<Record<string, readonly string[]>>;
		isNew: ReadonlySet<string>;
		/** What a take-on of them would be called. */
		name: string;
		mayTakeOn: boolean;
		onshow: (key: string) => void;
	}
	let { things, modelName, changed, isNew, name, mayTakeOn, onshow }: Props = $props();

	const MOST_SHOWN = 200;
	const shown = $derived(
		[...things]
			.sort(
				(a, b) =>
					Number(b.outcome === 'in') - Number(a.outcome === 'in') ||
					Number(a.outcome === null) - Number(b.outcome === null) ||
					(a.group + a.name < b.group + b.name ? -1 : 1)
			)
			.slice(0, MOST_SHOWN)
	);
	const chosen = new SvelteSet<string>();
	/** What can be taken on: it lets in, and is at no place yet. */
	const fitting = $derived(
		things.filter(({ outcome, known }) => outcome === 'in' && known?.position == null).map(({ key }) => key)
	);
	const taken = $derived(fitting.filter((key) => chosen.has(key)));
	const set = (keys: readonly string[], on: boolean) =>
		keys.forEach((key) => (on ? chosen.add(key) : chosen.delete(key)));
</script>

<Table classes={{ div: 'mt-2' }}>
	<TableHead>
		{#if mayTakeOn}<TableHeadCell
				><Checkbox
					aria-label="All that can be taken on"
					checked={fitting.length > 0 && taken.length === fitting.length}
					disabled={fitting.length === 0}
					onchange={({ currentTarget }) => set(fitting, (currentTarget as HTMLInputElement).checked)}
				/></TableHeadCell
			>{/if}
		<TableHeadCell>Name</TableHeadCell><TableHeadCell>What it is</TableHeadCell><TableHeadCell
			>At</TableHeadCell
		><TableHeadCell>Group</TableHeadCell><TableHeadCell>Asked</TableHeadCell>
	</TableHead>
	<TableBody>
		{#each shown as thing (thing.key)}
			{@const [standing, word] = outcomeShown(thing.outcome)}
			<TableBodyRow data-thing={thing.key}
				>{#if mayTakeOn}<TableBodyCell
						>{#if fitting.includes(thing.key)}<Checkbox
								aria-label="Take on {thing.name}"
								checked={chosen.has(thing.key)}
								onchange={({ currentTarget }) =>
									set([thing.key], (currentTarget as HTMLInputElement).checked)}
							/>{/if}</TableBodyCell
					>{/if}<TableBodyCell
					><button type="button" class="link font-semibold wrap-anywhere" onclick={() => onshow(thing.key)}
						>{thing.name}</button
					>{#if isNew.has(thing.key)}
						<span class="mark">new</span>{/if}{#if changed[thing.key]}<span class="quiet block"
							>{changed[thing.key]!.join('; ')}</span
						>{/if}</TableBodyCell
				><TableBodyCell
					>{whatItIs(thing, modelName)}{#if thing.serial}<span class="mono quiet block">{thing.serial}</span
						>{/if}</TableBodyCell
				><TableBodyCell class="mono">{thing.addresses.join(', ')}</TableBodyCell><TableBodyCell
					>{thing.group}{#if thing.known}<a class="block" href="/units/{thing.known.unitId}"
							>{thing.known.position ?? 'in stock'}</a
						>{/if}</TableBodyCell
				><TableBodyCell
					><Standing {standing} {word} />{#if thing.words}<span class="quiet block words">{thing.words}</span
						>{/if}</TableBodyCell
				></TableBodyRow
			>
		{/each}
	</TableBody>
</Table>
{#if things.length > MOST_SHOWN}<p class="quiet mt-2">
		{counted(things.length - MOST_SHOWN, 'more thing', 'more things')}: filter them, or take the list away as
		a file.
	</p>{/if}
{#if taken.length > 0}<div class="bar">
		<Form action="?/takeOn" casual class="flex flex-wrap items-end gap-3">
			{#snippet children({ busy })}
				{#each taken as key (key)}<input type="hidden" name="thing" value={key} />{/each}
				<b>{counted(taken.length, 'unit')} chosen</b>
				<FormField label="Take on as" name="name" stored={name} required maxlength={120} autocomplete="off" />
				<Button type="submit" size="sm" disabled={busy}>Take {counted(taken.length, 'unit')} on</Button>
				<Button type="button" size="sm" color="alternative" onclick={() => chosen.clear()}>Choose none</Button
				>
			{/snippet}
		</Form>
	</div>{/if}

<style>
	.link {
		color: var(--pine);
		text-decoration: underline;
		cursor: pointer;
		text-align: left;
	}
	.mark {
		margin-left: 0.3rem;
		padding: 0 0.35rem;
		border: 1px solid var(--marigold);
		border-radius: 4px;
		font-size: 0.85em;
	}
	.words {
		max-width: 24rem;
		white-space: normal;
	}
	.bar {
		position: sticky;
		bottom: 0;
		margin-top: 0.75rem;
		padding: 0.75rem 1rem;
		border: 1px solid var(--hairline);
		border-radius: 6px;
		background: var(--sheet);
		box-shadow: 0 -2px 8px rgb(0 0 0 / 0.08);
	}
</style>
