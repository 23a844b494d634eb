<script lang="ts">
	import { onMount } from 'svelte';
	import { Button } from 'flowbite-svelte';
	import { counted } from '$core/text';
	import { Notice, PageHead } from '$ui/kit';
	import { Callers } from '$ui/door';
	import { refreshOn } from '$ui/live';
	import { weekdayOf, Standing, When } from '$ui/marks';
	import { FormWords, mayDo } from '$ui/people';
	import { NeedsPerson } from '$ui/today';

	let { data, form } = $props();
	onMount(() =>
		refreshOn([
			'alerts',
			'drift',
			'runs',
			'callers',
			'units',
			'plan',
			'proofs',
			'paths',
			'readiness',
			'rollouts'
		])
	);

	const stuckCount = $derived(data.counts.standings.stuck + data.counts.standings.stalled);
	const gapWords = ({ position, words }: { readonly position: string | null; readonly words: string }) =>
		position ? `${position}: ${words}` : words;
	const late = $derived(data.counts.standings.late);
	const under = $derived(data.counts.standings.moving + late);
</script>

{#snippet figure(count: number)}<b>{count.toLocaleString('en')}</b>{/snippet}

<PageHead title="Today">
	{#snippet acts()}
		{#if mayDo('bind')}<Button href="/day" size="sm" color="alternative">Your sites</Button><Button
				href="/phone"
				size="sm"
				color="alternative">Bind by phone</Button
			>{/if}
	{/snippet}
</PageHead>

<ul class="figures mt-2">
	<li>
		<a href="/arrivals?at=person" class="stuck"
			>{@render figure(stuckCount)} {stuckCount === 1 ? 'needs' : 'need'} a person</a
		>
	</li>
	<li>
		<a href="/arrivals?at=moving">{@render figure(under)} under way</a>{#if late > 0}, <a
				href="/arrivals?at=late">{late.toLocaleString('en')} of them late</a
			>{/if}
	</li>
	{#if data.notHeardCount > 0}<li>
			<a href="/units?standing=not-heard">{@render figure(data.notHeardCount)} not heard</a>
		</li>{/if}
	<li><a href="/arrivals?at=waiting">{@render figure(data.counts.standings.waiting)} not heard yet</a></li>
	<li><a href="/intake#unbound">{@render figure(data.unbound)} claimed, not bound</a></li>
	<li class="through">
		<a href="/sites?standing=online"
			>{@render figure(data.sitesOnline)} of {counted(data.sites, 'site')} online</a
		>
	</li>
</ul>
<FormWords {form} />
{#if data.keyEnds}<Notice kind="careful" class="mt-3"
		>The certificate of “{data.keyEnds.subject}” ends <When at={data.keyEnds.end} />: after that no
		factory-new unit believes what it is given under it. <a href="/signing">Make another key</a></Notice
	>{/if}

<div class="columns mt-4">
	<section>
		<h2>Needs a person</h2>
		<NeedsPerson {...data} {under} />
		{#if stuckCount > data.stuck.length}<p class="mt-2">
				<a href="/arrivals?at=person">All {stuckCount.toLocaleString('en')}</a>
			</p>{/if}
		<h2 class="mt-5">At the door</h2>
		<Callers callers={data.callers} narrow />
	</section>
	<section>
		<h2>Due <a href="/sites/week" class="ml-2 text-base font-normal">by week</a></h2>
		{#if data.due.length === 0}<p class="quiet mt-2">No appointment in the next two days.</p>{/if}
		<ul class="sheet list mt-2">
			{#each data.due as site (site.id)}
				<li>
					<a href="/sites/{site.id}" class="font-semibold">{site.name}</a><span class="quiet"
						>{weekdayOf(new Date(site.appointmentAt!), site.timeZone)}</span
					><Standing
						standing={site.word}
						word={site.word === 'open' ? 'no units bound' : `${site.online} of ${site.positions} online`}
					/>
					{#if site.gaps}<span class="gaps"
							>{#if site.gaps.length === 0}{#if site.word !== 'stuck'}<span class="quiet">ready</span
									>{/if}{:else}<a href="/sites/{site.id}#gaps">{counted(site.gaps.length, 'gap')}</a>: {gapWords(
									site.gaps[0]!
								)}{#if site.gaps.length > 1}&nbsp;…{/if}{/if}</span
						>{/if}
				</li>
			{/each}
		</ul>
		<h2 class="mt-5">Came through</h2>
		{#if data.through.length === 0}<p class="quiet mt-2">Nothing yet.</p>{/if}
		<ul class="sheet list mt-2">
			{#each data.through as arrival (arrival.runId)}
				<li>
					<a href="/units/{arrival.unitId}" class="font-semibold">{arrival.siteName} {arrival.positionName}</a
					><span class="quiet"><When at={arrival.since} /></span><Standing standing="through" word="online" />
				</li>
			{/each}
		</ul>
		{#if data.through.length > 0}<p class="mt-2">
				<a href="/arrivals?at=online">Through in 24 hours</a>, <a href="/arrivals?through=week">this week</a>
			</p>{/if}
	</section>
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
		grid-template-columns: minmax(0, 1.5fr) minmax(0, 1fr);
		gap: 2rem;
	}
	.list li {
		display: grid;
		grid-template-columns: 1fr auto 10rem;
		gap: 0.1rem 1rem;
	}
	.list .gaps {
		grid-column: 1 / -1;
	}
	.list .gaps a {
		text-decoration: underline;
	}
	.list:empty {
		display: none;
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
