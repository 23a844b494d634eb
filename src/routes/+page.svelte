<script lang="ts">
	import { onMount } from 'svelte';
	import { Button } from 'flowbite-svelte';
	import { enhance } from '$app/forms';
	import { standingOfRow } from '$ui/arrivals';
	import { Callers } from '$ui/door';
	import { refreshOn } from '$ui/live';
	import { clock, duration, Serial, siteDayTime, Standing, When } from '$ui/marks';
	import { FormWords, mayDo } from '$ui/people';

	let { data, form } = $props();
	onMount(() => refreshOn(['runs', 'callers', 'units', 'plan']));

	const stuckCount = $derived(data.counts.standings.stuck);
	const slow = $derived(data.counts.standings.slow);
	const under = $derived(data.counts.standings.moving + slow);
</script>

<svelte:head><title>Today · Limen</title></svelte:head>
<div class="flex flex-wrap items-baseline gap-5">
	<h1>Today</h1>
	{#if mayDo('bind')}<a href="/phone">Bind by phone</a><a href="/day">Your sites, for the phone</a>{/if}
</div>

<ul class="figures mt-3">
	<li>
		<a href="/arrivals?at=stuck" class="stuck"
			><b>{stuckCount}</b> {stuckCount === 1 ? 'needs' : 'need'} a person</a
		>
	</li>
	<li>
		<a href="/arrivals?at=moving"><b>{under}</b> under way</a>{#if slow > 0}, <a href="/arrivals?at=slow"
				>{slow} of them slow</a
			>{/if}
	</li>
	<li><a href="/arrivals?at=waiting"><b>{data.counts.standings.waiting}</b> not heard yet</a></li>
	<li><a href="/intake#unbound"><b>{data.unbound}</b> claimed, not bound</a></li>
	{#if data.toApprove > 0}<li>
			<a href="/intake/rules"
				><b>{data.toApprove}</b> {data.toApprove === 1 ? 'binding' : 'bindings'} to approve</a
			>
		</li>{/if}
	<li class="through">
		<a href="/sites?standing=online"><b>{data.sitesOnline}</b> of {data.sites} sites online</a>
	</li>
</ul>
<FormWords {form} />

{#if data.tight.length > 0}<ul class="sheet mt-4 border-l-4 border-l-[var(--amber)] p-3">
		{#each data.tight as pool (pool.id)}<li>
				<p>
					<a href="/addresses/{pool.id}">{pool.name}</a> of {pool.customerName}: {pool.left} left{#if pool.wanting > 0},
						{pool.wanting} wanted now{/if}
				</p>
			</li>{/each}
	</ul>{/if}
<div class="columns mt-5">
	<div>
		<h2>Needs a person</h2>
		{#if data.stuck.length === 0}
			<p class="sheet mt-2 p-5">
				Nothing is stuck. {#if under > 0}<a href="/arrivals">{under} under way</a>.{:else}<a href="/intake"
						>Take in units</a
					>
					or <a href="/sites">choose a site</a>.{/if}
			</p>
		{/if}
		<ul class="stack mt-2">
			{#each data.stuck as arrival (arrival.runId)}
				{@const standing = standingOfRow(arrival, clock.now)}
				<li class="sheet p-4" data-serial={arrival.serial}>
					<div class="flex flex-wrap items-baseline justify-between gap-x-4">
						<p>
							<a class="font-bold" href="/sites/{arrival.siteId}?position={arrival.positionId}"
								>{arrival.siteName}</a
							>
							{arrival.positionName} <span class="quiet">· {arrival.customerName}</span>
						</p>
						<p>
							<Standing {standing} word="{standing} at {arrival.step}" />
							<span class="quiet">for {duration(clock.now - arrival.since)}</span>
						</p>
					</div>
					{#if arrival.failureWords}<blockquote
							class="mono mt-2 whitespace-pre-wrap border-l-2 border-[var(--hairline)] pl-3 text-sm"
						>
							{arrival.failureWords}
						</blockquote>{/if}
					{#if arrival.wrongCode > 0 && arrival.step === 'bound'}<p class="mt-2">
							Called {arrival.wrongCode} times with a wrong claim code.
						</p>{/if}
					{#if arrival.advice}<p class="mt-2">{arrival.advice}</p>{/if}
					<div class="mt-3 flex flex-wrap items-center gap-4">
						{#if arrival.outcome === 'failed' && mayDo('retry', arrival.customerId)}
							<form method="POST" action="?/retry" use:enhance>
								<input type="hidden" name="position" value={arrival.positionId} />
								<Button type="submit" size="sm" class="py-1">Let it try again</Button>
							</form>
						{/if}
						<a href="/units/{arrival.unitId}">What <Serial serial={arrival.serial} /> said</a>
					</div>
				</li>
			{/each}
		</ul>
		{#if stuckCount > data.stuck.length}<p class="mt-2">
				<a href="/arrivals?at=stuck">All {stuckCount}</a>
			</p>{/if}
	</div>
	<div>
		<h2>Due</h2>
		{#if data.due.length === 0}<p class="quiet mt-2">No appointment in the next two days.</p>{/if}
		<ul class="sheet list mt-2">
			{#each data.due as site (site.id)}
				<li>
					<a href="/sites/{site.id}" class="font-semibold">{site.name}</a><span class="quiet"
						>{siteDayTime(new Date(site.appointmentAt!), site.timeZone)}</span
					><Standing
						standing={site.word}
						word={site.word === 'open' ? 'no units bound' : `${site.online} of ${site.positions} online`}
					/>
				</li>
			{/each}
		</ul>
		<h2 class="mt-6">Came through</h2>
		{#if data.through.length === 0}<p class="quiet mt-2">Nothing yet.</p>{/if}
		<ul class="sheet list mt-2">
			{#each data.through as arrival (arrival.runId)}
				<li>
					<a href="/units/{arrival.unitId}" class="font-semibold">{arrival.siteName} {arrival.positionName}</a
					><span class="quiet"><When at={arrival.since} /></span><Standing standing="through" word="online" />
				</li>
			{/each}
		</ul>
		<h2 class="mt-6">At the door</h2>
		<Callers callers={data.callers} narrow />
	</div>
</div>

<style>
	.figures {
		display: flex;
		flex-wrap: wrap;
		gap: 0.25rem 2.2rem;
		padding-right: 1rem;
	}
	.figures a {
		color: var(--ink);
		text-decoration: none;
	}
	.figures a:hover {
		text-decoration: underline;
	}
	.figures b {
		font-size: 1.9rem;
		line-height: 1.2;
		margin-right: 0.15rem;
	}
	.figures .stuck b {
		color: var(--brick);
	}
	.figures .through {
		border-left: 4px solid var(--marigold);
		padding-left: 1.1rem;
	}
	.columns {
		display: grid;
		grid-template-columns: minmax(0, 1.15fr) minmax(0, 1fr);
		gap: 2rem;
	}
	.stack {
		display: grid;
		gap: 0.7rem;
	}
	.list li {
		display: grid;
		grid-template-columns: 1fr auto 10rem;
		gap: 1rem;
		padding: 0.45rem 0.9rem;
		border-bottom: 1px solid var(--hairline);
	}
	.list:empty {
		display: none;
	}
	.list li:last-child {
		border: 0;
	}
	@media (max-width: 900px) {
		.columns {
			grid-template-columns: minmax(0, 1fr);
		}
		.list li {
			grid-template-columns: 1fr auto;
		}
		.list li :global(.standing) {
			grid-column: 1 / -1;
		}
	}
</style>
