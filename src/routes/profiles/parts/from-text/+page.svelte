<script lang="ts">
	import { FormField, PageHead } from '$ui/kit';
	import { untrack } from 'svelte';
	import { SvelteSet } from 'svelte/reactivity';
	import { Button, Checkbox } from 'flowbite-svelte';
	import { act } from '$ui/forms';
	import { DIALECTS, type Dialect } from '$core/config';
	import {
		checkPiece,
		describeType,
		guessType,
		isSecretType,
		markAsField,
		occurrencesOf,
		remarksOn,
		type Field
	} from '$core/profile';
	import { TextEditor } from '$ui/edit';
	import { FormWords } from '$ui/people';

	let { data, form } = $props();
	let text = $state(untrack(() => data.text));
	let dialect = $state<Dialect>(untrack(() => data.dialect ?? 'indented'));
	let fields = $state<Field[]>([]);
	let selected = $state('');
	let name = $state('');
	let before: { text: string; fields: Field[] }[] = $state([]);
	const left = new SvelteSet<number>();

	const words = $derived(selected.trim());
	const places = $derived(words.includes('\n') ? [] : occurrencesOf(text, words));
	const wordBefore = $derived(
		places[0]
			? (places[0].text.slice(0, places[0].text.indexOf(words)).match(/([\w-]+)"?\s*:?\s*"?$/)?.[1] ?? '')
			: ''
	);
	const type = $derived(guessType(words, wordBefore));
	const problem = $derived(
		name === ''
			? null
			: !/^[a-z][a-z0-9_]{0,62}$/.test(name)
				? 'Lower-case letters, digits and “_”, beginning with a letter.'
				: null
	);
	function choose(_from: number, _to: number, chosen: string) {
		selected = chosen;
		left.clear();
		const guess = wordBefore
			.toLowerCase()
			.replace(/[^a-z0-9]+/g, '_')
			.replace(/^_+|_+$/g, '');
		name = /^[a-z]/.test(guess) && !fields.some((field) => field.name === guess) ? guess : '';
	}
	function mark() {
		before.push({ text, fields: [...fields] });
		// What is known of the words is gone once they are not there any more
		const made: Field = {
			name,
			type,
			description: '',
			example: isSecretType(type) ? '' : words,
			need: 'required',
			scope: 'site'
		};
		const chosen = places.filter((_, index) => !left.has(index));
		if (!fields.some((field) => field.name === name)) fields.push(made);
		text = markAsField(text, chosen, name);
		selected = '';
		name = '';
	}
	function undo() {
		const last = before.pop();
		if (last) ({ text, fields } = last);
	}
	const piece = $derived({ name: '', text, fields });
	const problems = $derived(checkPiece(piece));
	const remarks = $derived(remarksOn(piece).filter(({ line }) => line !== null));
	const marks = $derived([
		...problems.map(({ line, message }) => ({ line: line ?? 1, message, grave: true })),
		...remarks.map(({ line, message }) => ({ line: line!, message, grave: false }))
	]);
</script>

<PageHead title="Make a part of a configuration that is right">
	{#snippet about()}<span
			>{data.from
				? `What ${data.from} was last given, secrets masked.`
				: 'Paste what runs on a unit that is as it should be.'} Select what differs from site to site, and make
			it a field.</span
		>{/snippet}
</PageHead>
<FormWords {form} />
<div class="two mt-4">
	<div>
		<FormField label="Dialect" kind="select" class="max-w-48" bind:value={dialect}
			>{#each DIALECTS as one (one)}<option>{one}</option>{/each}</FormField
		>
		<div class="mt-3"><TextEditor bind:text label="Configuration" {marks} onselect={choose} /></div>
		{#each problems as one, index (index)}<p class="text-[var(--brick)]">
				Line {one.line}, column {one.column}: {one.message}
			</p>{/each}
		{#each remarks as one, index (index)}<p>Line {one.line}: {one.message}</p>{/each}
	</div>
	<aside>
		<section class="sheet p-4" aria-label="Mark a field">
			<h2>Mark a field</h2>
			{#if words === '' || places.length === 0}
				<p class="quiet mt-1">
					{words === '' ? 'Select some words in the text.' : 'Select whole words, within one line.'}
				</p>
			{:else}
				<p class="mt-1">
					<b class="mono">{words}</b>, {describeType(type)}, stands {places.length === 1
						? 'once'
						: `${places.length} times`}
				</p>
				<ul class="mt-2 max-h-48 overflow-auto">
					{#each places as place, index (place.from)}<li>
							<Checkbox
								checked={!left.has(index)}
								onchange={() => (left.has(index) ? left.delete(index) : left.add(index))}
								><span class="quiet">line {place.line}</span>
								<span class="mono truncate">{place.text.trim()}</span></Checkbox
							>
						</li>{/each}
				</ul>
				<FormField
					label="Field"
					mono
					class="mt-2 block"
					bind:value={name}
					maxlength={63}
					spellcheck="false"
					autocomplete="off"
				/>
				{#if problem}<p class="text-[var(--brick)]">{problem}</p>{/if}
				<Button
					size="sm"
					class="mt-3"
					disabled={name === '' || problem !== null || left.size === places.length}
					onclick={mark}>Make it a field</Button
				>
			{/if}
			{#if before.length > 0}<Button size="xs" color="alternative" class="mt-3" onclick={undo}
					>Undo the last</Button
				>{/if}
		</section>
		<h2 class="mt-5">Fields so far</h2>
		<ul class="mt-1">
			{#each fields as field (field.name)}<li>
					<span class="mono">{field.name}</span>
					<span class="quiet"
						>{describeType(field.type)}{field.example ? `, such as ${field.example}` : ''}</span
					>
				</li>{:else}<li class="quiet">None yet.</li>{/each}
		</ul>
		<form
			method="POST"
			use:act={() =>
				({ update }) =>
					update({ reset: false })}
			class="sheet mt-5 p-4"
		>
			<input type="hidden" name="dialect" value={dialect} />
			<input type="hidden" name="draft" value={JSON.stringify({ text, fields })} />
			<FormField
				label="Name of the part"
				class="block"
				name="name"
				required
				maxlength={120}
				autocomplete="off"
			/>
			<FormField label="What it is for" class="mt-2 block" name="summary" maxlength={500} />
			<Button type="submit" size="sm" class="mt-3">Begin the part with it</Button>
		</form>
	</aside>
</div>
