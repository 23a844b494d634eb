<script lang="ts">
	import { onMount } from 'svelte';
	import {
		Button,
		Checkbox,
		TableBody,
		TableBodyCell,
		TableBodyRow,
		TableHead,
		TableHeadCell
	} from 'flowbite-svelte';
	import { counted } from '$core/text';
	import { DaysChart } from '$ui/charts';
	import { act } from '$ui/forms';
	import { Form, FormField, MenuLink, PageHead, Table } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { Serial, Standing, When } from '$ui/marks';
	import { FormWords, mayDo } from '$ui/people';

	let { data, form } = $props();
	const replacement = $derived(data.replacement);
	const isOpen = $derived(replacement.endedAt === null);
	onMount(() => refreshOn(['replacements', 'runs'], { rest: 1000 }));
	const mayAct = $derived(
		isOpen && mayDo('bind', replacement.customerId) && mayDo('unbind', replacement.customerId)
	);
	const SHOWN = {
		'does not match': 'stuck',
		ready: 'waiting',
		'no unit yet': 'open',
		replaced: 'through',
		'left it': 'retired'
	} as const;
	const DAY_MS = 86_400_000;
	const dayOf = (day: number) =>
		new Date(day * DAY_MS).toLocaleDateString('en-GB', { day: 'numeric', month: 'long', timeZone: 'UTC' });
	let chosen = $state<string[]>([]);
	/** What was chosen and is no longer shown counts no more. */
	const kept = $derived(chosen.filter((id) => data.places.some(({ positionId }) => positionId === id)));
</script>

<PageHead title={replacement.name}>
	{#snippet state()}<span class="flex flex-wrap items-baseline gap-x-4"
			>{#if isOpen}<Standing
					standing={replacement.going > 0 ? 'moving' : 'through'}
					word="{replacement.going} to go"
				/>{:else}<Standing standing="retired" word="over" />{/if}<Standing
				standing="through"
				word="{replacement.coming} replaced"
			/></span
		>{/snippet}
	{#snippet acts()}{#if mayAct && data.ready.length > 0}<form
				method="POST"
				action="?/swap"
				use:act
				class="contents"
			>
				{#each data.ready as id (id)}<input type="hidden" name="position" value={id} />{/each}
				<Button type="submit" size="sm"
					>Swap {data.ready.length === 1 ? 'the one' : `all ${data.ready.length}`} ready</Button
				>
			</form>{/if}{#if mayAct}<form method="POST" use:act class="contents">
				<Button type="submit" formaction="?/look" size="sm" color="alternative">Look again</Button>
				<Button type="submit" formaction="?/end" size="sm" color="alternative">End it</Button>
			</form>{/if}{/snippet}
	{#snippet more()}
		<MenuLink href="/units?{replacement.rule}">Who is to go, in the list of units</MenuLink>
		<MenuLink href="/records?thing={replacement.id}">Records of it</MenuLink>
	{/snippet}
	{#snippet about()}<a href="/upkeep/cohorts">Cohorts</a><span
			>to be replaced by {replacement.model} at {replacement.customer}, begun by {replacement.byWhom}
			<When at={replacement.madeAt} />{#if replacement.lookedAt}, looked at <When
					at={replacement.lookedAt}
				/>{/if}</span
		>{/snippet}
</PageHead>
<FormWords {form} />

{#if replacement.lookedAt === null}
	<p class="sheet mt-4 p-6">
		Being looked at: who is to go, and what of their places does not match a {replacement.model}.
	</p>
{:else}
	{#if data.days.going.length > 1}<section class="sheet mt-3 p-4" aria-label="Over time">
			<DaysChart
				title="How many are to go, and how many were replaced?"
				lines={[
					{ name: 'to go', sizes: data.days.going, emptyBy: data.emptyBy },
					{ name: 'replaced', sizes: data.days.coming }
				]}
			/>
			{#if data.emptyBy}<p class="mt-1">
					At this rate the last is replaced by <b>{dayOf(data.emptyBy)}</b>.
				</p>{/if}
		</section>{/if}
	<div class="two mt-4">
		<div class="min-w-0">
			{#if data.mismatches.length > 0}
				<section>
					<h2>What does not match a {replacement.model}</h2>
					<ul class="sheet mt-2">
						{#each data.mismatches as one (one.words)}<li>
								<p><b>{counted(one.places, 'place')}</b>: {one.words}</p>
								<p class="quiet">
									{#each one.first as where, at (where.positionId)}{at > 0 ? ', ' : ''}<a
											href="/sites/{where.siteId}?position={where.positionId}"
											>{where.site}, {where.position}</a
										>{/each}{one.places > one.first.length
										? ` and ${one.places - one.first.length} more`
										: ''}
								</p>
							</li>{/each}
					</ul>
				</section>
			{/if}
			<section class="mt-4">
				<h2>Places</h2>
				<nav class="mt-1 flex flex-wrap gap-x-4" aria-label="Places by how they stand">
					<a href="?" aria-current={data.standing ? undefined : 'true'}>all</a>
					{#each data.counts.filter(({ places }) => places > 0) as { standing, places } (standing)}<a
							href="?standing={encodeURIComponent(standing)}"
							aria-current={data.standing === standing ? 'true' : undefined}
							><Standing standing={SHOWN[standing]} word="{places} {standing}" /></a
						>{/each}
				</nav>
				{#if data.places.length === 0}<p class="sheet mt-2 p-5">
						{data.standing
							? 'No place stands so.'
							: 'No unit that is bound fits the rule: there is nothing to replace.'}
					</p>{:else}
					{#if mayAct && kept.length > 0}<form
							method="POST"
							use:act={() =>
								async ({ result, update }) => {
									await update({ reset: false });
									if (result.type === 'success') chosen = [];
								}}
							class="mt-2 flex flex-wrap items-center gap-2"
							aria-label="What to do with the chosen"
						>
							{#each kept as id (id)}<input type="hidden" name="position" value={id} />{/each}
							<b>{kept.length} chosen</b>
							<Button type="submit" formaction="?/swap" size="xs">Swap them</Button>
							<Button type="submit" formaction="?/takeBack" size="xs" color="alternative"
								>Their new units are for other places</Button
							>
						</form>{/if}
					<Table classes={{ div: 'mt-2' }}>
						<TableHead
							>{#if mayAct}<TableHeadCell><span class="sr-only">Chosen</span></TableHeadCell
								>{/if}<TableHeadCell>Where</TableHeadCell><TableHeadCell>To go</TableHeadCell><TableHeadCell
								>New</TableHeadCell
							><TableHeadCell>How it stands</TableHeadCell></TableHead
						>
						<TableBody>
							{#each data.places as place (place.positionId)}
								<TableBodyRow data-place={place.oldSerial} data-standing={place.standing}
									>{#if mayAct}<TableBodyCell
											>{#if place.bound === 'old' && place.unit}<Checkbox
													bind:group={chosen}
													value={place.positionId}
													aria-label="Choose {place.site}, {place.position}"
												/>{/if}</TableBodyCell
										>{/if}<TableBodyCell
										><a href="/sites/{place.siteId}?position={place.positionId}">{place.site}</a>, {place.position}</TableBodyCell
									><TableBodyCell
										><a href="/units/{place.oldUnitId}"><Serial serial={place.oldSerial} /></a>
										<span class="quiet">{place.oldModel}</span></TableBodyCell
									><TableBodyCell
										>{#if place.unit}<a href="/units/{place.unitId}"><Serial serial={place.unit} /></a
											>{/if}</TableBodyCell
									><TableBodyCell
										><Standing standing={SHOWN[place.standing]} word={place.standing} /></TableBodyCell
									></TableBodyRow
								>
							{/each}
						</TableBody>
					</Table>
					{#if data.fitting > data.places.length}<p class="quiet mt-2">
							The first {data.places.length} of {data.fitting}.
						</p>{/if}
				{/if}
			</section>
		</div>
		{#if mayAct}<Form action="?/give" casual class="sheet p-4">
				{#snippet children({ busy })}
					<h2>New units</h2>
					<FormField
						label="Serial numbers, one a line"
						name="units"
						kind="lines"
						rows={8}
						mono
						required
						hint="Behind a serial number, parted by a comma or a tab: the one that it replaces, or a site, or a site and a position. Those without a place get the next that has none, by site. They have to be claimed already."
					/>
					<Button type="submit" size="sm" disabled={busy} class="mt-2">Give them their places</Button>
				{/snippet}
			</Form>{/if}
	</div>
{/if}
