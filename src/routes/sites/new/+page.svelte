<script lang="ts">
	import { askAction } from '$ui/forms';
	import { Button } from 'flowbite-svelte';
	import { goto } from '$app/navigation';
	import { wantedQuery } from '$ui/live';
	import { Form, FormField, Notice, PageHead } from '$ui/kit';
	import { SiteForm, SiteOutlook, type Outlook } from '$ui/plan';

	let { data } = $props();

	/** What comes of what was typed so far: computed anew once somebody rests. */
	interface Looked {
		readonly outlook: Outlook | null;
		readonly problems: readonly string[];
	}
	const REST_MS = 500;
	let looked = $state.raw<Looked | null>(null);
	let problem = $state('');
	let timer: ReturnType<typeof setTimeout> | undefined;
	let asked = 0;
	function look(form: HTMLFormElement): void {
		clearTimeout(timer);
		timer = setTimeout(async () => {
			const mine = ++asked;
			const answer = await askAction('?/look', new FormData(form));
			if (mine !== asked) return;
			problem = answer?.type === 'failure' ? String(answer.data?.problem ?? '') : '';
			if (answer?.type === 'success') looked = (answer.data?.looked ?? null) as Looked | null;
		}, REST_MS);
	}
	const shown = $derived({ customer: data.customer.id, pattern: data.pattern?.id ?? 'none' });
	let wanted = $state.raw<Partial<typeof shown>>({});
	/** What was chosen is still being read: fields, and with them the button, are about to move. */
	const turning = $derived(
		(wanted.customer ?? shown.customer) !== shown.customer ||
			(wanted.pattern ?? shown.pattern) !== shown.pattern
	);
	const turnTo = (name: keyof typeof shown, value: string) => {
		const query = wantedQuery();
		query.set(name, value);
		if (name === 'customer') query.delete('pattern');
		wanted = name === 'customer' ? { customer: value } : { ...wanted, pattern: value };
		looked = null;
		void goto(`?${query}`, { keepFocus: true, noScroll: true });
	};
</script>

<PageHead title="Plan a site">
	{#snippet about()}<span
			>From top to bottom, until it is ready for its appointment. Many alike?
			<a href="/sites/stamp">Stamp them from a pattern</a></span
		>{/snippet}
</PageHead>
<Form
	action="?/plan"
	class="two mt-3"
	stays
	oninput={({ currentTarget }) => look(currentTarget)}
	onchange={({ currentTarget }) => look(currentTarget)}
>
	{#snippet children({ busy })}
		<div class="sheet p-4">
			<fieldset class="mb-4 flex flex-wrap gap-x-4 gap-y-2">
				<legend class="mb-1 font-bold">What</legend>
				<FormField
					label="Customer"
					kind="select"
					class="w-64"
					name="customer"
					stored={shown.customer}
					items={data.mine.map(({ id, name }) => ({ value: id, name }))}
					onchange={({ currentTarget }) => turnTo('customer', currentTarget.value)}
				/>
				{#key shown.customer}<FormField
						label="Pattern"
						hint={data.pattern
							? `Its positions: ${data.pattern.positions.join(', ')}`
							: 'Positions are planned one by one, on its page.'}
						kind="select"
						class="w-64"
						name="pattern"
						stored={shown.pattern}
						items={[
							...data.patterns.map(({ id, name }) => ({ value: id, name })),
							{ value: 'none', name: 'none' }
						]}
						onchange={({ currentTarget }) => turnTo('pattern', currentTarget.value)}
					/>{/key}
			</fieldset>
			<SiteForm site={data.site} technicians={data.technicians} around={data.around} />
			{#if data.values.length > 0}
				<fieldset class="mb-4">
					<legend class="mb-1 font-bold">Values</legend>
					<p class="quiet">
						Only what is this site’s own. What pools give and formulas compute stands beside; leave those
						empty.
					</p>
					<div class="mt-2 grid gap-x-4 gap-y-2 sm:grid-cols-2 xl:grid-cols-3">
						{#each data.values as value (value.heading)}<FormField
								label="{value.position ? `${value.position}: ` : ''}{value.name}"
								hint={value.description}
								name="value:{value.heading}"
								kind={value.secret ? 'password' : 'text'}
								mono
								placeholder={value.example}
								autocomplete="off"
								spellcheck="false"
							/>{/each}
					</div>
				</fieldset>
			{/if}
			<Button type="submit" disabled={busy || turning}
				>{busy ? 'Planning …' : turning ? 'Reading what it needs …' : 'Plan the site'}</Button
			>
		</div>
		<aside class="sheet p-4" aria-label="What comes of it" aria-live="polite">
			<h2>What comes of it</h2>
			{#if problem}<p class="mt-1">{problem}</p>{/if}
			{#if looked?.outlook}<div class="mt-1"><SiteOutlook outlook={looked.outlook} open /></div>
			{:else if !data.pattern}<p class="quiet mt-1">A site without positions. Plan them on its page.</p>
			{:else if !problem}<p class="quiet mt-1">
					Give it a name: then its addresses, its values, and what is missing stand here.
				</p>{/if}
			{#each looked?.problems ?? [] as words (words)}<Notice kind="wrong">{words}</Notice>{/each}
			<p class="quiet mt-3">Cards and labels are printed from the site’s page, once it is planned.</p>
		</aside>
	{/snippet}
</Form>

<style>
	aside {
		position: sticky;
		top: 0.5rem;
	}
	@media (max-width: 1000px) {
		aside {
			position: static;
		}
	}
</style>
