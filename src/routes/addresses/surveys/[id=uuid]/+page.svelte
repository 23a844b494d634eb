<script lang="ts">
	import { onMount, untrack } from 'svelte';
	import { SvelteSet } from 'svelte/reactivity';
	import { Button, TableBody, TableBodyCell, TableBodyRow, TableHead, TableHeadCell } from 'flowbite-svelte';
	import { page } from '$app/state';
	import { counted } from '$core/text';
	import type { Dragged } from '$core/survey';
	import { pngOf, saveFile, svgFileOf } from '$ui/charts';
	import { act } from '$ui/forms';
	import { FormField, MenuAct, MenuLink, PageHead, Table } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { Standing, When } from '$ui/marks';
	import { FormWords, mayDo } from '$ui/people';
	import { EVERY, FoundList, outcomeShown, RunStanding, SurveyDrawing, ThingFacts } from '$ui/survey';

	let { data, form } = $props();
	const isUnderWay = $derived(data.run.state === 'under way');
	onMount(() => refreshOn(['surveys'], { rest: 700 }));
	const { things, links } = $derived(data.map);
	const mayTakeOn = $derived(
		mayDo('edit profiles') &&
			mayDo('plan sites', data.survey.customerId) &&
			mayDo('claim', data.survey.customerId)
	);
	const modelName = (model: string) => data.modelNames[model] ?? model;
	const byKey = $derived(new Map(things.map((thing) => [thing.key, thing])));
	const nameOf = (key: string) => byKey.get(key)?.name ?? key;

	const MOST_AMISS = 20;
	/** More things than this are folded into their groups at first. */
	const FEW = 60;
	const groups = $derived([...new Set(things.map(({ group }) => group))]);
	const folded = new SvelteSet<string>(untrack(() => (things.length > FEW ? groups : [])));
	const met = new Set<string>(untrack(() => groups));
	$effect(() => {
		// What comes while it grows is folded as well, once it is too much
		for (const group of groups) {
			if (!met.has(group) && things.length > FEW) untrack(() => folded.add(group));
			met.add(group);
		}
	});
	let chosen: string | null = $state(null);
	const shown = $derived(chosen === null ? undefined : byKey.get(chosen));
	let dragged: Dragged = $state.raw(untrack(() => data.dragged));
	let drawing: SVGSVGElement | undefined = $state();
	let view: SurveyDrawing | undefined = $state();

	let words = $state('');
	let model = $state('');
	const models = $derived(
		[...new Set(things.flatMap((thing) => thing.model ?? []))].map((id) => ({
			value: id,
			name: modelName(id)
		}))
	);
	const fitting = $derived.by(() => {
		const wanted = words.trim().toLowerCase();
		if (wanted === '' && model === '') return null;
		return new Set(
			things
				.filter(
					(one) =>
						(model === '' || one.model === model) &&
						[one.name, one.group, one.serial, one.version, one.description, one.mac, ...one.addresses]
							.join(' ')
							.toLowerCase()
							.includes(wanted)
				)
				.map(({ key }) => key)
		);
	});
	const listed = $derived(fitting === null ? things : things.filter(({ key }) => fitting.has(key)));
	const isNew = $derived(data.changes?.isNew ?? new Set<string>());
	const changed = $derived(data.changes?.changed ?? {});
	const marked = $derived(new Set([...isNew, ...Object.keys(changed)]));

	function show(key: string): void {
		chosen = key;
		const group = byKey.get(key)?.group;
		if (group !== undefined) folded.delete(group);
		view?.showThing(key);
		drawing?.scrollIntoView({ block: 'center', behavior: 'smooth' });
	}
	async function keep(spots: readonly object[]): Promise<void> {
		const body = new FormData();
		body.set('spots', JSON.stringify(spots));
		await fetch(`${page.url.pathname}?/spots`, {
			method: 'POST',
			body,
			headers: { 'x-sveltekit-action': 'true', accept: 'application/json' }
		});
	}
	function put(spot: { kind: 'group' | 'thing'; key: string; x: number; y: number }): void {
		const at = { [spot.key]: { x: spot.x, y: spot.y } };
		dragged =
			spot.kind === 'group'
				? { ...dragged, groups: { ...dragged.groups, ...at } }
				: { ...dragged, things: { ...dragged.things, ...at } };
		void keep([spot]);
	}
	function layOut(): void {
		dragged = { groups: {}, things: {} };
		void keep([]);
	}
	async function save(kind: 'svg' | 'png'): Promise<void> {
		const frame = view!.frame();
		const svg = svgFileOf(drawing!, frame);
		const file = kind === 'svg' ? new Blob([svg], { type: 'image/svg+xml' }) : await pngOf(svg, frame);
		saveFile(`survey.${kind}`, file);
	}
</script>

<PageHead title={data.survey.name}>
	{#snippet state()}<RunStanding run={data.run} />{/snippet}
	{#snippet acts()}{#if isUnderWay}<form method="POST" action="?/stop" use:act>
				<Button type="submit" size="sm" color="alternative">Stop it</Button>
			</form>{:else}<form method="POST" action="?/again" use:act>
				<Button type="submit" size="sm">Survey again</Button>
			</form>{/if}{/snippet}
	{#snippet more()}
		<MenuLink href="{page.url.pathname}/list">What was found, as CSV</MenuLink>
		<MenuLink href="{page.url.pathname}/list?as=xlsx">The same as XLSX</MenuLink>
		<li><button type="button" class="menu-item" onclick={() => save('svg')}>The drawing as SVG</button></li>
		<li><button type="button" class="menu-item" onclick={() => save('png')}>The drawing as PNG</button></li>
		<MenuLink href="/records?thing={data.survey.id}">Records of it</MenuLink>
		<MenuAct action="?/drop">Forget it and what it found</MenuAct>
	{/snippet}
	{#snippet about()}<a href="/addresses/surveys">Surveys</a><span>{data.survey.customer}</span><span
			>from <span class="mono">{data.survey.begins.slice(0, 3).join(', ')}</span>, within
			<span class="mono">{data.survey.ranges.join(', ')}</span></span
		><span>{EVERY[data.survey.every]}; last <When at={data.run.begunAt} /> by {data.run.byWhom}</span
		>{/snippet}
</PageHead>
<FormWords {form} />

<div class="tools mt-3">
	<FormField label="Filter" bind:value={words} placeholder="name, address, firmware" maxlength={100} />
	<FormField label="Model" kind="select" bind:value={model} items={models} none="all models" />
	<form method="GET" class="flex items-end gap-2" data-sveltekit-keepfocus data-sveltekit-noscroll>
		<FormField
			label="Where is"
			name="find"
			mono
			stored={data.asked}
			placeholder="address or MAC"
			maxlength={60}
			autocomplete="off"
		/>
		<Button type="submit" size="sm" color="alternative">Find</Button>
	</form>
	<span class="ml-auto flex flex-wrap gap-2">
		<Button type="button" size="sm" color="alternative" onclick={() => view?.whole()}>All of it</Button>
		<Button
			type="button"
			size="sm"
			color="alternative"
			aria-label="Draw it nearer"
			onclick={() => view?.nearer(1.4)}>+</Button
		>
		<Button
			type="button"
			size="sm"
			color="alternative"
			aria-label="Draw it farther away"
			onclick={() => view?.nearer(1 / 1.4)}>−</Button
		>
		{#if folded.size < groups.length}<Button
				type="button"
				size="sm"
				color="alternative"
				onclick={() => groups.forEach((group) => folded.add(group))}>Fold all</Button
			>{:else}<Button type="button" size="sm" color="alternative" onclick={() => folded.clear()}
				>Unfold all</Button
			>{/if}
		{#if Object.keys(dragged.groups).length + Object.keys(dragged.things).length > 0}<Button
				type="button"
				size="sm"
				color="alternative"
				onclick={layOut}>Lay it out again</Button
			>{/if}
	</span>
</div>

{#if data.plugged}<div class="sheet mt-3 p-3" role="status">
		{#each data.plugged as one (one.mac)}<p>
				<span class="mono">{one.mac}</span>
				{#if one.addresses.length > 0}<span class="mono">({one.addresses.join(', ')})</span>{/if} is
				{one.isBehind ? 'behind' : 'at'} port <b class="mono">{one.port}</b> of
				<Button type="button" size="xs" color="alternative" onclick={() => show(one.thing)}
					>{nameOf(one.thing)}</Button
				>, seen <When at={one.seenAt} />.
			</p>{:else}<p>
				Nobody’s address table knows <span class="mono">{data.asked}</span>. Tables are read with each survey,
				of units that let in.
			</p>{/each}
	</div>{/if}

<div class="work mt-3" class:alone={!shown}>
	<SurveyDrawing
		bind:this={view}
		bind:drawing
		bind:chosen
		{things}
		{links}
		{modelName}
		changed={marked}
		{fitting}
		{dragged}
		{folded}
		ondrag={put}
	/>
	{#if shown}<ThingFacts
			thing={shown}
			{links}
			{nameOf}
			{modelName}
			changes={isNew.has(shown.key) ? ['new since the survey before'] : (changed[shown.key] ?? [])}
			onshow={show}
		/>{/if}
</div>
<p class="quiet mt-1">
	Solid: both ends tell of the cable. Thin: the other end could not be asked. Dashed: it was asked, and does
	not tell of it. A dashed box is only heard of.
</p>

{#if data.changes}<p class="mt-3">
		Since <When at={data.changes.since} />: {data.changes.isNew.size} new,
		{Object.keys(data.changes.changed).length} changed, {data.changes.gone.length} gone{data.changes.gone
			.length > 0
			? `: ${data.changes.gone
					.slice(0, 20)
					.map(({ name }) => name)
					.join(', ')}`
			: ''}.
	</p>{/if}
{#if data.beside.sites > 0}<section class="mt-3" aria-labelledby="beside">
		<h2 id="beside">Beside the plan</h2>
		<p>
			{data.beside.found} of {counted(data.beside.planned, 'planned unit')} of {counted(
				data.beside.sites,
				'site'
			)}
			{data.beside.found === 1 ? 'was' : 'were'} found.
			{#if data.beside.amiss.length === 0}All that was asked is cabled as planned.{/if}
		</p>
		{#each data.beside.amiss.slice(0, MOST_AMISS) as site (site.siteId)}
			<p class="mt-1 wrap-anywhere">
				<a class="font-semibold" href="/sites/{site.siteId}">{site.name}</a>:
				{[...site.missing, ...site.misplaced].join(' ')}
				{#if site.extra.length > 0}<span class="quiet">Not in the plan: {site.extra.join(' ')}</span>{/if}
			</p>
		{/each}
		{#if data.beside.amiss.length > MOST_AMISS}<p class="quiet mt-1">
				{counted(data.beside.amiss.length - MOST_AMISS, 'more site')} with something otherwise.
			</p>{/if}
	</section>{/if}
{#if data.map.doubts.length > 0}<div class="sheet mt-3 p-3">
		<h2>Kept apart</h2>
		{#each data.map.doubts.slice(0, 20) as doubt, index (index)}<p class="wrap-anywhere">{doubt}</p>{/each}
	</div>{/if}

<h2 class="mt-5">What was found</h2>
{#if things.length === 0}<p class="sheet mt-2 p-5">
		{isUnderWay
			? 'Nothing yet.'
			: 'Nothing was found. What came of each address is told below: most often a login is missing, or its port is another one.'}
	</p>{:else}<FoundList
		things={listed}
		{modelName}
		{changed}
		{isNew}
		name={data.survey.name}
		{mayTakeOn}
		onshow={show}
	/>{/if}

<h2 class="mt-5">What came of each address</h2>
<Table classes={{ div: 'mt-2' }}>
	<TableHead
		><TableHeadCell>Address</TableHeadCell><TableHeadCell>Steps</TableHeadCell><TableHeadCell
			>What came of it</TableHeadCell
		><TableHeadCell>Login</TableHeadCell><TableHeadCell>When</TableHeadCell></TableHead
	>
	<TableBody>
		{#each data.addresses as one (one.address)}
			<TableBodyRow data-address={one.address}
				><TableBodyCell
					><span class="mono">{one.address}</span>{#if one.name || one.hint}<span class="quiet block"
							>{one.name || one.hint}</span
						>{/if}</TableBodyCell
				><TableBodyCell>{one.depth}</TableBodyCell><TableBodyCell
					>{#if one.outcome === null}<Standing
							standing={one.state === 'waiting' ? 'waiting' : 'moving'}
							word={one.state === 'waiting' ? 'waits' : 'being asked'}
						/>{:else}<Standing
							standing={outcomeShown(one.outcome)[0]}
							word={outcomeShown(one.outcome)[1]}
						/>{/if}{#if one.words}<span class="quiet block wrap-anywhere words">{one.words}</span
						>{/if}</TableBodyCell
				><TableBodyCell>{one.login ?? ''}</TableBodyCell><TableBodyCell
					>{#if one.at}<When at={one.at} />{/if}</TableBodyCell
				></TableBodyRow
			>
		{/each}
	</TableBody>
</Table>
{#if data.run.seen > data.addresses.length}<p class="quiet mt-2">
		{counted(data.run.seen - data.addresses.length, 'more address', 'more addresses')} not shown.
	</p>{/if}

<style>
	.tools {
		display: flex;
		flex-wrap: wrap;
		align-items: end;
		gap: 0.75rem;
	}
	.work {
		display: grid;
		grid-template-columns: minmax(0, 1fr) minmax(16rem, 21rem);
		gap: 1rem;
		align-items: start;
	}
	.work.alone {
		grid-template-columns: minmax(0, 1fr);
	}
	@media (max-width: 900px) {
		.work {
			grid-template-columns: minmax(0, 1fr);
		}
	}
	.words {
		max-width: 40rem;
		white-space: normal;
	}
</style>
