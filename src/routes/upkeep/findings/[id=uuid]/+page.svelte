<script lang="ts">
	import { onMount } from 'svelte';
	import {
		Button,
		Checkbox,
		Radio,
		TableBody,
		TableBodyCell,
		TableBodyRow,
		TableHead,
		TableHeadCell
	} from 'flowbite-svelte';
	import { counted } from '$core/text';
	import { FindingMeans, FindingText, KIND_WORDS, LeaveForm } from '$ui/drift';
	import { act } from '$ui/forms';
	import { Notice, PageHead, Table } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { Serial, Standing, When } from '$ui/marks';
	import { FormWords, mayDo } from '$ui/people';
	import { LookAtMany } from '$ui/send';

	let { data, form } = $props();
	onMount(() => refreshOn(['drift', 'sends']));
	const finding = $derived(data.finding);
	let unchosen = $state<readonly string[]>([]);
	const chosen = $derived(
		data.units.map(({ findingId }) => findingId).filter((id) => !unchosen.includes(id))
	);
	const left = $derived(data.units.filter(({ leftUntil }) => leftUntil !== null));
	const choose = (id: string, is: boolean) =>
		(unchosen = is ? unchosen.filter((one) => one !== id) : [...unchosen, id]);
	const acceptance = $derived(data.acceptance?.ok ? data.acceptance.done : null);
	let scope = $derived(acceptance?.options[0]?.scope ?? 'position');
	type Option = NonNullable<typeof acceptance>['options'][number];
	const MOST_VALUES = 6;
	const firstValues = (option: Option) => option.values.slice(0, MOST_VALUES);
	const optionTitle = ({ scope, holders }: Option): string =>
		scope === 'own text'
			? `as a line of ${holders === 1 ? 'this position’s' : `each of these ${holders} positions’`} own, beside its profile`
			: scope === 'customer'
				? 'for the whole customer'
				: scope === 'site'
					? `for ${holders === 1 ? 'the site' : `each of the ${holders} sites`}`
					: `at ${holders === 1 ? 'this position' : `each of these ${holders} positions`} alone`;
	const mayDecide = $derived(data.units.some(({ customerId }) => mayDo('send', customerId)));
</script>

<PageHead title="What differs">
	{#snippet state()}{#if data.units.length === 0}<Standing
				standing="through"
				word="so no more"
			/>{:else}<Standing standing="stuck" word="at {counted(data.units.length, 'unit')}" />{/if}{/snippet}
	{#snippet acts()}<Button href="/upkeep" size="sm" color="alternative">All that drifted</Button>{/snippet}
	{#snippet about()}<FindingMeans touches={finding.touches} /><span>since <When at={finding.since} /></span
		>{/snippet}
</PageHead>
<FormWords {form} />

<section class="sheet mt-3 p-4" aria-label="The difference: {KIND_WORDS[finding.kind]}">
	<FindingText {finding} />
</section>

{#if data.units.length === 0}
	<p class="mt-4">
		It was gone when the unit was last read. <a href="/units/{finding.unitId}/versions">What the unit runs</a>
	</p>
{:else}
	<Table classes={{ div: 'mt-4' }}>
		<TableHead
			>{#if mayDecide}<TableHeadCell><span class="sr-only">Chosen</span></TableHeadCell>{/if}<TableHeadCell
				>Where</TableHeadCell
			><TableHeadCell>Unit</TableHeadCell><TableHeadCell>Since</TableHeadCell><TableHeadCell
				>By whom</TableHeadCell
			><TableHeadCell>Now</TableHeadCell></TableHead
		>
		<TableBody>
			{#each data.units as unit (unit.findingId)}
				<TableBodyRow data-unit={unit.serial}
					>{#if mayDecide}<TableBodyCell
							><Checkbox
								checked={!unchosen.includes(unit.findingId)}
								aria-label="{unit.siteName}, {unit.positionName}"
								onchange={(event) =>
									choose(unit.findingId, (event.currentTarget as HTMLInputElement).checked)}
							/></TableBodyCell
						>{/if}<TableBodyCell
						><a href="/sites/{unit.siteId}">{unit.siteName}</a>, {unit.positionName}</TableBodyCell
					><TableBodyCell
						><a href="/units/{unit.unitId}/versions"><Serial serial={unit.serial} /></a></TableBodyCell
					><TableBodyCell><When at={unit.since} /></TableBodyCell><TableBodyCell
						>{unit.byWhom || 'not known'}</TableBodyCell
					><TableBodyCell
						>{#if unit.leftUntil}left until {unit.leftUntil}{:else if unit.isConnected}connected{:else}<span
								class="quiet">not connected</span
							>{/if}</TableBodyCell
					></TableBodyRow
				>
			{/each}
		</TableBody>
	</Table>
	{#if mayDecide}
		<section class="mt-5">
			<h2>What becomes of it</h2>
			<div class="sheet mt-2 grid gap-4 p-4">
				<form method="POST" action="?/right" use:act class="flex flex-wrap items-center gap-4">
					{#each chosen as id (id)}<input type="hidden" name="finding" value={id} />{/each}
					<p class="grow">
						{#if finding.kind === 'unsaved'}<b>Have it saved:</b> it starts with what it runs from now on.{:else}<b
								>Put it right:</b
							> only this is sent, all else stays as it runs.{/if}
					</p>
					<Button type="submit" size="sm" disabled={chosen.length === 0}
						>Put right at {counted(chosen.length, 'unit')}</Button
					>
				</form>
				{#if finding.kind !== 'unsaved'}<LookAtMany looked={data.looked} {chosen} />{/if}
				{#if finding.kind !== 'unsaved' && mayDo('set values', finding.customerId)}
					{#if data.acceptance === null}
						<div class="flex flex-wrap items-center gap-4">
							<p class="grow">
								<b>Accept it:</b> the plan follows what runs. What that changes is shown first.
							</p>
							<Button
								href="?accept={chosen.length === data.units.length ? 'all' : chosen.join(',')}"
								size="sm"
								color="alternative"
								disabled={chosen.length === 0}>Accept into the plan …</Button
							>
						</div>
					{:else if !data.acceptance.ok}<Notice kind="careful">{data.acceptance.problem}</Notice>
					{:else if acceptance?.problem}<Notice kind="careful">{acceptance.problem}</Notice>
					{:else if acceptance}
						<form method="POST" action="?/accept" use:act class="grid gap-2">
							{#each data.accepting as id (id)}<input type="hidden" name="finding" value={id} />{/each}
							<fieldset class="grid gap-2">
								<legend
									><b>Accept it:</b> the plan follows what runs, and what runs is what should run from now on.</legend
								>
								{#each acceptance.options as option (option.scope)}
									<Radio name="scope" value={option.scope} bind:group={scope} class="items-start"
										><span
											>{optionTitle(option)}
											<span class="quiet block font-normal"
												>{#each firstValues(option) as value (`${value.holder} ${value.field}`)}<span
														class="block"
														>{#if option.scope === 'own text'}<span class="mono">{value.now}</span>, {value.holder}{:else}{value.field}:
															<span class="mono">{value.was || 'not given'}</span>
															becomes
															<span class="mono">{value.now}</span>{option.scope === 'customer'
																? ''
																: `, ${value.holder}`}{/if}</span
													>{/each}{#if option.values.length > MOST_VALUES}<span class="block"
														>and {option.values.length - MOST_VALUES} more</span
													>{/if}</span
											>
											{#if option.others > 0}<span class="block text-[var(--brick)]"
													>{counted(option.others, 'other position')} would get it too, and be behind: {option.otherNames.join(
														'; '
													)}{option.others > option.otherNames.length ? ' …' : ''}</span
												>{:else}<span class="quiet block font-normal">Nothing else changes.</span>{/if}</span
										></Radio
									>
								{/each}
							</fieldset>
							<p>
								<Button type="submit" size="sm">Accept at {counted(data.accepting.length, 'unit')}</Button>
							</p>
						</form>
					{/if}
				{/if}
				<LeaveForm action="?/leave" ids={chosen} />
				{#if left.length > 0}<form
						method="POST"
						action="?/takeUp"
						use:act
						class="flex flex-wrap items-center gap-4"
					>
						{#each left as { findingId } (findingId)}<input
								type="hidden"
								name="finding"
								value={findingId}
							/>{/each}
						<p class="grow quiet">Left for now: {finding.leftReason}</p>
						<Button type="submit" size="sm" color="alternative">Let it count again</Button>
					</form>{/if}
			</div>
		</section>
	{/if}
{/if}
