<script lang="ts">
	import { FormField, Menu, MenuLink, PageHead } from '$ui/kit';
	import { counted } from '$core/text';
	import { onMount } from 'svelte';
	import { Button } from 'flowbite-svelte';
	import { act } from '$ui/forms';
	import { goto } from '$app/navigation';
	import { UNIT_LIST, type ListQuery } from '$core/list';
	import { CHOICES } from '$core/rollout';
	import { standingWords, type RunStep } from '$core/onboarding';
	import { WorkList } from '$ui/list';
	import { refreshOn } from '$ui/live';
	import { Serial, Standing, When } from '$ui/marks';
	import { FormWords, mayDo } from '$ui/people';

	let { data, form } = $props();
	onMount(() => refreshOn(['runs', 'units', 'callers', 'drift']));

	const SHOWN = {
		refused: ['stuck', 'not ours'],
		stuck: ['stuck', 'need a person'],
		'not-heard': ['not-heard', 'not heard'],
		stalled: ['stalled', 'stalled'],
		late: ['late', 'late'],
		moving: ['moving', 'under way'],
		waiting: ['waiting', 'not heard yet'],
		free: ['open', 'not bound'],
		online: ['online', 'online'],
		'out of service': ['retired', 'out of service']
	} as const;
	const DRIFTS: Readonly<Record<string, string>> = {
		'as-intended': 'as intended',
		differs: 'running something else',
		unreadable: 'that cannot be read',
		behind: 'behind'
	};
	type Word = keyof typeof SHOWN;
	const isStanding = (
		word: Word
	): word is 'stuck' | 'stalled' | 'late' | 'moving' | 'waiting' | 'online' | 'not-heard' =>
		['stuck', 'stalled', 'late', 'moving', 'waiting', 'online', 'not-heard'].includes(word);
	const WORDS = Object.keys(SHOWN) as Word[];
	const total = $derived(Object.values(data.counts).reduce((sum, count) => sum + count, 0));
	const query = $derived(
		data.customerId
			? { ...data.query, columns: data.query.columns.filter((id) => id !== 'customer') }
			: data.query
	);
	const NARROWING = [
		{ name: 'profile', label: 'Profile', kind: 'select', hint: undefined },
		{
			name: 'field',
			label: 'A field and its value',
			kind: 'text',
			hint: 'Such as guest_wifi=yes; of the position, its site or its customer.'
		},
		{ name: 'age', label: 'Claimed at least so many days ago', kind: 'number', hint: undefined }
	] as const;
	/** What the menu narrows the list by, in words. */
	const narrowed = $derived(
		Object.entries({
			profile: (id: string) => data.profiles.find((one) => one.id === id)?.name ?? 'a profile',
			field: (text: string) => text,
			age: (days: string) => `claimed ${days} days ago or more`
		}).flatMap(([name, words]) => {
			const value = data.query.filters[name];
			return value ? [{ name, words: words(value) }] : [];
		})
	);
	const filtered = (name: string, value: string | null): Partial<ListQuery> => {
		const others = Object.fromEntries(Object.entries(data.query.filters).filter(([one]) => one !== name));
		return { filters: value ? { ...others, [name]: value } : others };
	};
</script>

<PageHead title="Units">
	{#snippet acts()}
		{#if mayDo('claim')}<Button href="/intake" size="sm">Take in units</Button>{/if}
		<Button href="/sites" size="sm" color="alternative">Sites</Button>
	{/snippet}
	{#snippet more()}<MenuLink href="/units/retired">Retired units</MenuLink>{/snippet}
</PageHead>
<FormWords {form} />
<div class="mt-3">
	<WorkList
		things="units"
		definition={UNIT_LIST}
		{query}
		first={data.first}
		path="/units"
		rowsAt="/units/rows"
		placeholder="Any part of a serial, MAC or place"
		views={data.views}
		href={({ id }) => `/units/${id}`}
		nameOf={({ serial }) => serial}
		field="unit"
		acts={bulk}
		{cell}
		{takeAway}
	>
		{#snippet filters(addressOf)}
			<a
				href={addressOf(filtered('standing', null))}
				aria-current={data.query.filters.standing ? undefined : 'true'}>{total.toLocaleString('en')} in all</a
			>
			{#each WORDS as word (word)}
				{#if data.counts[word]}<a
						href={addressOf(filtered('standing', word))}
						aria-current={data.query.filters.standing === word ? 'true' : undefined}
						><Standing
							standing={SHOWN[word][0]}
							word="{data.counts[word].toLocaleString('en')} {SHOWN[word][1]}"
						/></a
					>{/if}
			{/each}
			{#if data.query.filters.drift}<a href={addressOf(filtered('drift', null))} aria-current="true"
					>{DRIFTS[data.query.filters.drift]} <span class="sr-only">only, show all</span>×</a
				>{/if}
			{#if data.query.filters.version}<a href={addressOf(filtered('version', null))} aria-current="true"
					>on {data.query.filters.version} <span class="sr-only">only, show all</span>×</a
				>{/if}
			{#each narrowed as { name, words } (name)}<a href={addressOf(filtered(name, null))} aria-current="true"
					>{words} <span class="sr-only">only, show all</span>×</a
				>{/each}
			<span class="ml-auto"
				><Menu label="Narrow"
					>{#each NARROWING as { name, label, hint, kind } (name)}<FormField
							{label}
							{hint}
							{kind}
							class="w-72 px-3 py-1.5"
							stored={data.query.filters[name] ?? ''}
							onchange={({ currentTarget }) =>
								void goto(addressOf(filtered(name, currentTarget.value.trim() || null)))}
							>{#if kind === 'select'}<option value="">all</option
								>{#each data.profiles as profile (profile.id)}<option value={profile.id}
										>{profile.name}</option
									>{/each}{/if}</FormField
						>{/each}</Menu
				></span
			>
			<FormField
				label="Model"
				kind="select"
				class="flex items-center gap-2 w-36"
				stored={data.query.filters.model ?? ''}
				onchange={({ currentTarget }) => void goto(addressOf(filtered('model', currentTarget.value || null)))}
			>
				<option value="">all</option>
				{#each data.models as { id, name } (id)}<option value={id}>{name}</option>{/each}
			</FormField>
		{/snippet}
		{#snippet empty()}
			{#if total === 0 && data.query.text === '' && !data.query.filters.model}
				There are no units yet. <a href="/intake" class="underline">Take some in</a>.
			{:else}No unit fits. <a href="/units" class="underline">Show all</a>{/if}
		{/snippet}
	</WorkList>
</div>

{#snippet cell(unit: (typeof data.first.rows)[0], column: string)}
	{#if column === 'serial'}<a href="/units/{unit.id}" tabindex="-1"><Serial serial={unit.serial} /></a>
	{:else if column === 'model'}{unit.modelName}
	{:else if column === 'standing'}<Standing
			standing={SHOWN[unit.standing][0]}
			word={unit.step && isStanding(unit.standing)
				? standingWords(unit.standing, unit.step as RunStep)
				: SHOWN[unit.standing][1]}
		/>
	{:else if column === 'place'}{#if unit.siteId}<a
				href="/sites/{unit.siteId}?position={unit.positionId}"
				tabindex="-1">{unit.siteName}, {unit.positionName}</a
			>{/if}
	{:else if column === 'mac'}<span class="mono">{unit.mac ?? ''}</span>
	{:else if column === 'version'}<span class="mono">{unit.version ?? ''}</span>
	{:else if column === 'heard'}{#if unit.heardAt}<When at={new Date(unit.heardAt)} />{/if}
	{:else if column === 'claimed'}<span class="quiet"><When at={new Date(unit.claimedAt)} /></span>
	{:else if column === 'drift'}{#if unit.drift}<a href="/units/{unit.id}/versions" tabindex="-1"
				>{unit.drift}</a
			>{/if}{#if unit.isBehind}<span class="quiet">{unit.drift ? ', ' : ''}behind</span>{/if}
	{:else if column === 'shipped'}{unit.shippedTo ?? ''}
	{:else}<span class="quiet">{unit.customerName}</span>{/if}
{/snippet}

{#snippet takeAway(address: string)}
	<MenuLink href="/units/file?{address}" download>CSV</MenuLink>
	<MenuLink href="/units/file?{address}&as=xlsx" download>XLSX</MenuLink>
	{#if mayDo('send')}<MenuLink href="/upkeep/cohorts?rule={encodeURIComponent(address)}"
			>Keep as a cohort</MenuLink
		>{/if}
{/snippet}

{#snippet bulk({
	count,
	fields,
	done
}: {
	count: number;
	fields: import('svelte').Snippet;
	done: () => void;
})}
	<form method="POST" action="/labels" target="_blank">
		{@render fields()}
		<Button type="submit" size="xs" color="alternative">{counted(count, 'label')}</Button>
	</form>
	{#if mayDo('retry')}<form
			method="POST"
			action="?/retry"
			use:act={() =>
				async ({ result, update }) => {
					await update({ reset: false });
					if (result.type === 'success') done();
				}}
		>
			{@render fields()}
			<Button type="submit" size="xs">Let {count === 1 ? 'it' : `${count}`} try again</Button>
		</form>{/if}
	{#if mayDo('send') && mayDo('set values')}<form method="POST" action="?/smallChange" use:act>
			{@render fields()}
			<Button type="submit" size="xs" color="alternative">Change something there</Button>
		</form>{/if}
	{#if mayDo('send')}<form method="POST" action="?/rollout" use:act class="flex flex-wrap items-center gap-2">
			{@render fields()}
			<span class="quiet">Plan a rollout:</span>
			{#each CHOICES as { value, name } (value)}<Button
					type="submit"
					name="kind"
					{value}
					size="xs"
					color="alternative">{name}</Button
				>{/each}
		</form>{/if}
	{#if mayDo('claim')}<form method="POST" action="?/retire" use:act class="flex items-center gap-2">
			{@render fields()}
			<FormField
				label="Why they are retired"
				bare
				name="reason"
				placeholder="Why retired"
				maxlength={1000}
				required
			/>
			<Button type="submit" size="xs" color="alternative">Retire {count === 1 ? 'it' : count}</Button>
		</form>{/if}
{/snippet}
