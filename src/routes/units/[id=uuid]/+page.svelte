<script lang="ts">
	import { onMount, untrack } from 'svelte';
	import { Button } from 'flowbite-svelte';
	import { enhance } from '$app/forms';
	import { checkPhrase } from '$core/onboarding';
	import { BindAnyway, RunActions, standingOfRow, Track } from '$ui/arrivals';
	import { ConfigText } from '$ui/config';
	import { refreshOn } from '$ui/live';
	import { clock, duration, Serial, Standing, Warnings, When } from '$ui/marks';
	import { FormWords, mayDo, RecordsOf } from '$ui/people';

	let { data, form } = $props();
	onMount(() => refreshOn(['runs', 'units', 'callers']));

	/** The position to bind to: the nearest appointment first, or the one whose card was scanned. */
	let chosen = $derived(data.wanted ?? data.open[0]?.id ?? '');

	const unit = $derived(data.unit);
	const arrival = $derived(data.arrival);
	const standing = $derived(arrival ? standingOfRow(arrival, clock.now) : null);
	const codeIsWrong = $derived((arrival?.wrongCode ?? 0) > 0);
	let correcting = $state(untrack(() => codeIsWrong));
	$effect(() => {
		if (codeIsWrong) correcting = true;
	});
	const time = (at: Date) =>
		at.toLocaleTimeString('en-NZ', {
			hour: '2-digit',
			minute: '2-digit',
			second: '2-digit',
			hourCycle: 'h23'
		});
	const KINDS: Record<string, string> = {
		call: 'asked what to become',
		'call-home': 'dialled home',
		proof: 'proof',
		withheld: 'given nothing',
		cancel: 'cancelled'
	};
	const failedLine = $derived(Number(/^line (\d+):/.exec(arrival?.failureWords ?? '')?.[1]) || null);
	const isError = (type: string | null, kind: string) =>
		kind === 'withheld' || (type?.endsWith('-error') ?? false);
</script>

<svelte:head><title>{unit.serial} · Limen</title></svelte:head>
<div class="flex flex-wrap items-baseline gap-x-5 gap-y-1">
	<h1><Serial serial={unit.serial} /></h1>
	{#if standing}<Standing
			{standing}
			word={standing === 'through'
				? 'online'
				: standing === 'waiting'
					? 'not heard yet'
					: `${standing} at ${arrival?.step}`}
		/>{:else if unit.outOfServiceAt}<Standing standing="retired" word="out of service" />{:else}<Standing
			standing="open"
			word="not bound"
		/>{/if}
	<span class="quiet">{unit.makerName} {unit.modelName}, {unit.roleName} · {unit.customerName}</span>
</div>
<FormWords {form} />
{#if unit.ownership === 'refused'}<p class="mt-2 text-[var(--brick)]">
		<b>Not ours.</b>
		{unit.ownershipWords} <a href="/intake">In Intake</a> it can be asked for again or dropped.
	</p>
{:else if unit.ownership === 'asked'}<p class="quiet mt-2">
		{unit.makerName}’s registry is asked whether it is ours. It can be bound meanwhile.
	</p>{/if}
{#each data.predecessors as old (old.id)}<p class="mt-2">
		It took over from <a href="/units/{old.id}"><Serial serial={old.serial} /></a>, <When
			at={old.outOfServiceAt!}
		/>: {old.outOfServiceWhy}
	</p>{/each}
{#if unit.outOfServiceAt}
	<form
		method="POST"
		action="?/service"
		use:enhance
		class="sheet mt-3 flex flex-wrap items-center gap-x-4 gap-y-2 p-4"
	>
		<p>
			<b>Out of service</b> since <When at={unit.outOfServiceAt} />: {unit.outOfServiceWhy}
			{#if unit.replacedBy}<br /><a href="/units/{unit.replacedBy}"
					><Serial serial={unit.replacedBySerial!} /></a
				> took over.{/if}
		</p>
		{#if unit.ownership === 'released'}<p class="quiet ml-auto">Given up: it is nobody’s of ours any more.</p>
		{:else if mayDo('claim', unit.customerId)}<span class="ml-auto flex gap-2"
				><Button type="submit" size="sm" color="alternative">Put it back in service</Button>
				<Button type="submit" size="sm" color="alternative" formaction="?/giveUp">Give it up</Button></span
			>{/if}
	</form>
{/if}

{#if arrival && standing}
	<div class="sheet mt-3 p-4">
		<div class="flex flex-wrap items-start justify-between gap-4">
			<Track step={arrival.step} {standing} wide />
			<RunActions {arrival} />
		</div>
		<p class="mt-1">
			At <a href="/sites/{arrival.siteId}?position={arrival.positionId}"
				>{arrival.siteName}, {arrival.positionName}</a
			>, in this step for {duration(clock.now - arrival.since)}.
		</p>
		{#if arrival.failureWords}<blockquote
				class="mono mt-2 whitespace-pre-wrap border-l-2 border-[var(--brick)] pl-3 text-sm"
			>
				{arrival.failureWords}
			</blockquote>{/if}
		{#if data.advice}<p class="mt-2 max-w-prose">{data.advice}</p>{/if}
		<p class="quiet mt-2">
			Compare aloud: <b class="text-[var(--ink)]">{checkPhrase(unit.serial, arrival.positionId)}</b>
		</p>
	</div>
{:else if mayDo('bind', unit.customerId) && !unit.outOfServiceAt}
	<form method="POST" action="?/bind" use:enhance class="sheet mt-3 flex flex-wrap items-center gap-3 p-4">
		<input type="hidden" name="unit" value={unit.id} />
		{#if data.open.length > 0}
			<label for="position" class="font-semibold">Bind to</label>
			<select
				id="position"
				name="position"
				bind:value={chosen}
				class="rounded-md border-[var(--hairline)] bg-[var(--paper)] py-1"
			>
				{#each data.open as position (position.id)}<option value={position.id}
						>{position.siteName}, {position.name}</option
					>{/each}
			</select>
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

<div class="two mt-5">
	<section>
		<h2>What it said and did</h2>
		{#if data.events.length === 0}<p class="quiet mt-2">
				Nothing yet. It speaks when it has power and is on the network.
			</p>{/if}
		<ol class="mt-2" aria-label="Events, newest first">
			{#each data.events as event, index (event.id)}
				{@const previous = data.events[index - 1]}
				{#if previous && previous.runNumber !== event.runNumber}<li class="attempt quiet">
						an earlier attempt, run {event.runNumber}
					</li>{/if}
				<li
					class="event"
					class:error={isError(event.progressType, event.kind)}
					data-type={event.progressType ?? event.kind}
				>
					<time class="quiet mono" datetime={event.at.toISOString()} title={event.at.toString()}
						>{time(event.at)}</time
					>
					<span
						><b>{event.progressType ?? KINDS[event.kind] ?? event.kind}</b
						>{#if event.stepBefore !== event.stepAfter}
							<span class="quiet ml-2">→ {event.stepAfter}</span>{/if}{#if event.words}<span
								class="mono block whitespace-pre-wrap text-sm">{event.words}</span
							>{/if}</span
					>
				</li>
			{/each}
		</ol>
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
			<dt>Dialled home</dt>
			<dd>
				<When at={unit.dialledHomeAt} />{#if data.connected}, connected now{/if}
			</dd>
			<dt>Host key</dt>
			<dd class="mono">
				{#each unit.hostKeys as key (key)}<span class="block break-all">{key}</span>{:else}not reported yet{/each}
			</dd>
			<dt>Claimed</dt>
			<dd><When at={unit.claimedAt} /></dd>
		</dl>
		{#if mayDo('correct claim code', unit.customerId)}<details class="mt-4" bind:open={correcting}>
				<summary class="cursor-pointer font-semibold">Correct the claim code</summary>
				<form method="POST" action="?/code" use:enhance class="mt-2 flex flex-wrap gap-2">
					<input
						name="code"
						required
						maxlength="50"
						autocomplete="off"
						spellcheck="false"
						aria-label="Claim code as printed on the label"
						placeholder="As on the label"
						class="mono rounded-md border-[var(--hairline)] bg-[var(--paper)] py-1"
					/>
					<Button type="submit" size="sm" color="alternative">Correct it</Button>
				</form>
			</details>{/if}
		<p class="mt-4"><RecordsOf what="this unit" id={unit.id} customerId={unit.customerId} /></p>
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
		display: grid;
		grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
		gap: 2rem;
		align-items: start;
	}
	.event {
		display: grid;
		grid-template-columns: 6rem 1fr;
		gap: 0.8rem;
		padding: 0.3rem 0.5rem;
		border-left: 2px solid var(--hairline);
	}
	.event.error {
		border-left-color: var(--brick);
		background: color-mix(in srgb, var(--brick) 9%, transparent);
	}
	.attempt {
		padding: 0.6rem 0.5rem 0.2rem;
	}
	@media (max-width: 900px) {
		.two {
			grid-template-columns: minmax(0, 1fr);
		}
	}
</style>
