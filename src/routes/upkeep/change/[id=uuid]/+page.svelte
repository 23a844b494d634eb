<script lang="ts">
	import { onMount, untrack } from 'svelte';
	import { Button, Progressbar, Radio } from 'flowbite-svelte';
	import { counted } from '$core/text';
	import { act } from '$ui/forms';
	import { Form, FormField, Notice, PageHead } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { FormWords } from '$ui/people';
	import { ImpactGroups, ImpactWarnings } from '$ui/profile';

	let { data, form } = $props();
	onMount(() => refreshOn(['profiles']));
	const change = $derived(data.change);
	const { fields, models } = $derived(data.changeable);
	const given = untrack(() => data.change.what);
	let kind = $state<'value' | 'text'>(given?.kind ?? 'value');
	let field = $state(given?.kind === 'value' ? given.field : '');
	const known = $derived(fields.find(({ name }) => name === field));
	const groups = $derived(change.result?.groups ?? []);
	const broken = $derived(
		groups.reduce((sum, { change: { kind: one }, count }) => sum + (one === 'broken' ? count : 0), 0)
	);
</script>

<PageHead title="A change at {counted(change.total, 'unit')}">
	{#snippet about()}<a href="/units">Units</a><span
			>For exactly these, beside what their profiles say. Nothing is sent before you have seen it.</span
		>{/snippet}
</PageHead>
<FormWords {form} />

{#if change.state === 'kept'}
	<p class="sheet mt-4 p-6">
		This is part of the plan. What is due is sent by a <a href="/arrivals/rollouts">rollout</a>; what a
		position has of its own stands on its site’s page.
	</p>
{:else}
	<Form action="?/look" stays casual class="sheet mt-4 max-w-4xl p-4">
		{#snippet children({ busy })}
			<fieldset class="flex flex-wrap gap-x-6 gap-y-2">
				<legend class="sr-only">What changes</legend>
				<Radio name="kind" value="value" bind:group={kind}>A value of a field</Radio>
				<Radio name="kind" value="text" bind:group={kind}>Statements</Radio>
			</fieldset>
			{#if kind === 'value'}
				<div class="mt-3 grid gap-4 sm:grid-cols-2">
					<FormField
						label="Field"
						name="field"
						kind="select"
						bind:value={field}
						items={[
							{ value: '', name: 'Choose a field' },
							...fields.map(({ name, count }) => ({
								value: name,
								name:
									count === data.changeable.present
										? name
										: `${name} (${count} of ${data.changeable.present})`
							}))
						]}
						hint={known?.description}
					/>
					<FormField
						label="Value"
						name="value"
						stored={given?.kind === 'value' ? given.value : ''}
						autocomplete="off"
						hint="Empty: what its site, customer or profile gives counts there again."
					/>
				</div>
			{:else}
				<p class="quiet mt-3">
					In the words of {models.map(({ name, count }) => `${name} (${count})`).join(', ')}, with the blocks
					around them. A block that is there already is gone into.
				</p>
				<div class="mt-2 grid gap-4 sm:grid-cols-2">
					<FormField
						label="What comes"
						name="comes"
						kind="lines"
						mono
						rows={6}
						spellcheck="false"
						stored={given?.kind === 'text' ? given.comes : ''}
					/>
					<FormField
						label="What goes"
						name="goes"
						kind="lines"
						mono
						rows={6}
						spellcheck="false"
						stored={given?.kind === 'text' ? given.goes : ''}
					/>
				</div>
			{/if}
			<Button type="submit" class="mt-4" disabled={busy}>See what it changes</Button>
		{/snippet}
	</Form>

	{#if change.state === 'working'}
		<div class="sheet mt-4 p-5" aria-live="polite">
			<p>
				Rendering {counted(change.total, 'position')}, as they are and as they would be: {change.done} done.
			</p>
			<div class="mt-3">
				<Progressbar
					progress={Math.round((change.done / change.total) * 100)}
					role="progressbar"
					aria-valuenow={Math.round((change.done / change.total) * 100)}
					aria-label="Positions done"
				/>
			</div>
		</div>
	{:else if change.state === 'failed'}
		<Notice kind="wrong" class="mt-4">It could not be computed. Look again.</Notice>
	{:else if change.result}
		{@const { changed, left, stranded, uplink } = change.result}
		<section aria-label="What it comes to" class="mt-5">
			<p class="text-lg" data-testid="comes-to">
				<b>{counted(changed, 'unit')}</b> would run something else{#if broken > 0},
					<b class="text-[var(--brick)]">{broken} could not be computed any more</b>{/if}.
			</p>
			{#if left.length > 0}<ul class="mt-1">
					{#each left as { words, count } (words)}<li>{counted(count, 'unit')}: {words}</li>{/each}
				</ul>{/if}
			{#if changed > 0}<form method="POST" action="?/keep" use:act class="mt-3">
					<input type="hidden" name="edit" value={change.edit} />
					<Button type="submit">Put it into the plan and plan its rollout</Button>
				</form>{/if}
			<ImpactWarnings {stranded} {uplink} />
			<ImpactGroups {groups} address={({ id }) => `/positions/${id}/preview`} />
		</section>
	{/if}
{/if}
