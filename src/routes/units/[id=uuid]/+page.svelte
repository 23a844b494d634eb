<script lang="ts">
	import { FormField, MenuAct, MenuLink, Notice, PageHead } from '$ui/kit';
	import { onMount, untrack } from 'svelte';
	import { Accordion, AccordionItem, Button, Timeline, TimelineItem } from 'flowbite-svelte';
	import { act } from '$ui/forms';
	import { counted } from '$core/text';
	import { helpedWords } from '$core/watch';
	import { checkPhrase, standingWords } from '$core/onboarding';
	import {
		BindAnyway,
		ExpectedEnd,
		Questions,
		RunActions,
		RunSteps,
		standingOfRow,
		Track
	} from '$ui/arrivals';
	import { ConfigText } from '$ui/config';
	import { refreshOn } from '$ui/live';
	import { clock, duration, secondOf, Serial, Standing, Warnings, When } from '$ui/marks';
	import { FormWords, mayDo } from '$ui/people';

	let { data, form } = $props();
	onMount(() => refreshOn(['runs', 'units', 'callers', 'drift']));

	/** The position to bind to: the nearest appointment first, or the one whose card was scanned. */
	let chosen = $derived(data.wanted ?? data.open[0]?.id ?? '');

	const unit = $derived(data.unit);
	const connection = $derived(data.connection);
	const voucher = $derived(data.voucher);
	const seesSaid = $derived(mayDo('see renderings', data.unit.customerId));
	const arrival = $derived(data.arrival);
	const standing = $derived(arrival ? standingOfRow(arrival, clock.now) : null);
	const codeIsWrong = $derived((arrival?.wrongCode ?? 0) > 0);
	let correcting = $state(untrack(() => codeIsWrong));
	$effect(() => {
		if (codeIsWrong) correcting = true;
	});
	const failedLine = $derived(Number(/^line (\d+):/.exec(arrival?.failureWords ?? '')?.[1]) || null);
	/** The attempt that the unit’s own words before an entry belong to. */
	const runBefore = (index: number) => data.story.slice(0, index).findLast(({ run }) => run !== null)?.run;
</script>

<PageHead title={unit.serial}>
	{#snippet name()}<Serial serial={unit.serial} />{/snippet}
	{#snippet state()}
		{#if standing}<Standing {standing} word={standingWords(standing, arrival?.step ?? null)} />
		{:else if unit.outOfServiceAt}<Standing standing="retired" word="out of service" />
		{:else}<Standing standing="open" word="not bound" />{/if}
	{/snippet}
	{#snippet acts()}{#if arrival}<RunActions {arrival} />{/if}{/snippet}
	{#snippet more()}
		{#if arrival?.outcome === 'through'}<MenuLink href="/units/{unit.id}/health">How it does</MenuLink>{/if}
		{#if seesSaid}<MenuLink href="/units/{unit.id}/versions">What it runs</MenuLink>
			<MenuLink href="/units/{unit.id}/dialogue">What was said to it</MenuLink><MenuLink
				href="/upkeep/events?unit={unit.id}">What it said</MenuLink
			>{/if}
		{#if arrival?.outcome === 'through' && mayDo('send', unit.customerId)}<MenuAct action="?/restart"
				>Restart it</MenuAct
			>{/if}
		{#if mayDo('reach units', unit.customerId)}<MenuLink href="/units/{unit.id}/reach"
				>Reach it at an address</MenuLink
			>{/if}
		{#if seesSaid && arrival}<MenuLink href="/units/{unit.id}/send">Send what it should run</MenuLink
			><MenuLink href="/units/{unit.id}/firmware">Change its firmware</MenuLink>{/if}
		{#if mayDo('see records', unit.customerId)}<MenuLink href="/records?thing={unit.id}"
				>Records of this unit</MenuLink
			>{/if}
		{#if mayDo('bind', unit.customerId)}<MenuAct action="/labels" fields={{ unit: unit.id }} beside
				>Print its label</MenuAct
			>{/if}
		<MenuLink href="/units/{unit.id}/life">Its whole life</MenuLink>
		{#if mayDo('claim', unit.customerId) && !unit.positionId}<MenuAct action="?/retire">Retire it</MenuAct
			>{/if}
		{#if mayDo('claim', unit.customerId) && unit.outOfServiceAt && unit.ownership !== 'released'}
			<MenuAct action="?/giveUp">Give it up</MenuAct>{/if}
	{/snippet}
	{#snippet about()}<span>{unit.makerName} {unit.modelName}, {unit.roleName} · {unit.customerName}</span
		>{/snippet}
</PageHead>
<FormWords {form} />
{#if unit.ownership === 'refused'}<p class="mt-2 text-[var(--brick)]">
		<b>Not ours.</b>
		{unit.ownershipWords} <a href="/intake">In Intake</a> it can be asked for again or dropped.
	</p>
{:else if unit.ownership === 'asked'}<p class="quiet mt-2">
		{unit.makerName}’s registry is asked whether it is ours. It can be bound meanwhile.
	</p>{/if}
{#if unit.reachProblem}<Notice kind="careful" class="mt-3"
		><b>Cannot be reached.</b>
		{unit.reachProblem} <span class="quiet"><When at={unit.reachProblemAt} /></span></Notice
	>{/if}
{#each data.predecessors as old (old.id)}<p class="mt-2">
		It took over from <a href="/units/{old.id}"><Serial serial={old.serial} /></a>, <When
			at={old.outOfServiceAt!}
		/>: {old.outOfServiceWhy}
	</p>{/each}
{#if unit.outOfServiceAt}
	<form
		method="POST"
		action="?/service"
		use:act
		class="sheet mt-3 flex flex-wrap items-center gap-x-4 gap-y-2 p-4"
	>
		<p>
			<b>Out of service</b> since <When at={unit.outOfServiceAt} />: {unit.outOfServiceWhy}
			{#if unit.replacedBy}<br /><a href="/units/{unit.replacedBy}"
					><Serial serial={unit.replacedBySerial!} /></a
				> took over.{/if}
		</p>
		{#if unit.ownership === 'released'}<p class="quiet ml-auto">Given up: it is no longer ours.</p>
		{:else if mayDo('claim', unit.customerId)}<span class="ml-auto flex gap-2"
				><Button type="submit" size="sm" color="alternative">Put it back in service</Button>
			</span>{/if}
	</form>
{/if}

{#if arrival && standing}
	<div class="sheet mt-3 p-4">
		<div class="flex flex-wrap items-start justify-between gap-4">
			<Track step={arrival.step} {standing} wide />
		</div>
		<p class="mt-1">
			At <a href="/sites/{arrival.siteId}?position={arrival.positionId}"
				>{arrival.siteName}, {arrival.positionName}</a
			>{#if standing === 'not-heard' && arrival.quietSince !== null}. It was online, and has not been heard
				for {duration(clock.now - arrival.quietSince)}.{:else}, in this step for {duration(
					clock.now - arrival.since
				)}.{#if arrival.lacks}
					<b
						>{arrival.lacks === 'image'
							? 'The image that it waits for is gone.'
							: 'It has lost its connection.'}</b
					>{/if}{/if}
		</p>
		{#if arrival.ends && arrival.step !== 'bound' && standing !== 'stalled'}<p class="mt-1">
				<ExpectedEnd ends={arrival.ends} from={arrival.calledAt} />
			</p>{/if}
		{#if arrival.failureWords}<blockquote
				class="mono mt-2 whitespace-pre-wrap border-l-2 border-[var(--brick)] pl-3 text-sm"
			>
				{arrival.failureWords}
			</blockquote>{/if}
		{#if data.advice}<p class="mt-2 max-w-prose">{data.advice}</p>{/if}
		{#each data.helped.slice(0, 3) as one (one.acts.join())}<p class="quiet mt-1">
				After failures like this one: {helpedWords(one)}
			</p>{/each}
		<p class="quiet mt-2">
			Compare aloud: <b class="text-[var(--ink)]">{checkPhrase(unit.serial, arrival.positionId)}</b>
		</p>
	</div>
{:else if mayDo('bind', unit.customerId) && !unit.outOfServiceAt}
	<form method="POST" action="?/bind" use:act class="sheet mt-3 flex flex-wrap items-end gap-3 p-4">
		<input type="hidden" name="unit" value={unit.id} />
		{#if data.open.length > 0}
			<FormField
				label="Bind to"
				kind="select"
				name="position"
				class="min-w-72"
				bind:value={chosen}
				items={data.open.map(({ id, siteName, name }) => ({ value: id, name: `${siteName}, ${name}` }))}
			/>
			{#key data.wanted}<Button type="submit" size="sm" autofocus={data.wanted !== null}
					>{data.wanted ? 'Bind (Enter)' : 'Bind'}</Button
				>{/key}
			<BindAnyway form={form && 'wantsReason' in form ? form : null} />
			<div class="basis-full">
				<Warnings warnings={data.open.find(({ id }) => id === chosen)?.warnings ?? []} />
			</div>
		{:else}<p>No open position of {unit.customerName} suits this unit.</p>{/if}
	</form>
{/if}

{#if data.diagnosis}
	<section class="sheet mt-3 p-4" id="questions">
		<h2>With somebody at the unit</h2>
		<div class="mt-2"><Questions diagnosis={data.diagnosis} action="?/answer" /></div>
	</section>
{/if}

{#if mayDo('correct claim code', unit.customerId) && !unit.outOfServiceAt}
	<Accordion flush class="mt-3" id="code">
		<AccordionItem bind:open={correcting} transitionType="none">
			{#snippet header()}Correct the claim code{/snippet}
			<form method="POST" action="?/code" use:act class="flex flex-wrap items-end gap-2">
				<FormField
					label="Claim code as printed on the label"
					mono
					name="code"
					required
					maxlength={50}
					autocomplete="off"
					spellcheck="false"
				/>
				<Button type="submit" size="sm" color={codeIsWrong ? 'primary' : 'alternative'}>Correct it</Button>
			</form>
		</AccordionItem>
	</Accordion>
{/if}

<div class="two mt-5">
	<section>
		<h2 id="said">Its story</h2>
		{#if data.story.length === 0}<p class="quiet mt-2">
				Nothing yet. It speaks when it has power and is on the network.
			</p>{/if}
		<Timeline order="default" class="mt-2" aria-label="What happened, newest first">
			{#each data.story as one, index (one.id)}
				{@const before = one.run === null ? null : runBefore(index)}
				{#if before && before !== one.run}<li class="quiet mb-3 ms-5">
						an earlier attempt, run {one.run}
					</li>{/if}
				<TimelineItem
					title={one.title}
					date={secondOf(one.at)}
					color={one.bad ? 'red' : one.by === 'person' ? 'orange' : 'primary'}
					data-type={one.type}
				>
					{#if one.words}<p class={['text-sm whitespace-pre-wrap', one.by === 'unit' && 'mono']}>
							{one.words}
						</p>{/if}
					{#if one.errandId && seesSaid}<a class="text-sm" href="/units/{unit.id}/dialogue">What was said</a
						>{/if}
				</TimelineItem>
			{/each}
		</Timeline>
	</section>
	<section>
		<h2>Facts</h2>
		<dl class="facts mt-2">
			<dt>MAC address</dt>
			<dd class="mono">{unit.mac ?? 'not given'}</dd>
			<dt>Version</dt>
			<dd class="mono">{unit.reportedVersion ?? 'not reported yet'}</dd>
			<dt>Sign of life</dt>
			<dd><When at={unit.heardAt} /></dd>
			<dt>Connection</dt>
			<dd>
				{#if !connection}never connected
				{:else if connection.endedAt}lost <When at={connection.endedAt} />{#if connection.whyEnded}: {connection.whyEnded}{/if}
				{:else}connected now, {connection.way === 'out' ? 'reached by us' : connection.way} since <When
						at={connection.since}
					/>{#if connection.address}, from
						<span class="mono">{connection.address}</span>{/if}{#if connection.roundTrip !== null}, answers in {connection.roundTrip ||
							'less than 1'}
						ms{/if}{/if}
			</dd>
			{#if data.drift}<dt>Configuration</dt>
				<dd>
					<a href="/units/{unit.id}/versions"
						>{data.drift.state === 'as intended'
							? 'as intended'
							: data.drift.state === 'differs'
								? `differs in ${counted(data.drift.findings, 'place')}`
								: 'cannot be read'}</a
					>, looked at <When at={data.drift.lookedAt} />
				</dd>{/if}
			<dt>Host key</dt>
			<dd class="mono">
				{#each unit.hostKeys as key (key)}<span class="block break-all">{key}</span>{:else}not reported yet{/each}
			</dd>
			<dt>Voucher</dt>
			<dd>
				{#if voucher?.expiresAt && voucher.expiresAt.getTime() > clock.now}good, ends <When
						at={voucher.expiresAt}
					/>{#if unit.outOfServiceAt}; it cannot be called back, and is not renewed{/if}
				{:else if voucher?.expiresAt}ended <When at={voucher.expiresAt} />
				{:else if !voucher}none: nobody is asked for one. It can only come where it believes Limen’s
					certificate
				{:else if !voucher.problem}asked for{/if}
				{#if voucher?.problem}<span class="block">{voucher.problem}</span>{/if}
			</dd>
			<dt>Claimed</dt>
			<dd><When at={unit.claimedAt} /></dd>
		</dl>
		<RunSteps steps={data.steps} href="/arrivals/normal?model={unit.modelId}" />
		{#if data.served}
			<h2 class="mt-5">What it was last given</h2>
			<p class="quiet">
				run {data.served.number}{data.served.targetVersion ? `, firmware ${data.served.targetVersion}` : ''}
			</p>
			<ConfigText text={data.served.rendering} label="Configuration it was given" mark={failedLine} />
		{/if}
	</section>
</div>

<style>
	.two {
		--columns: minmax(0, 1fr) minmax(0, 1fr);
	}
</style>
