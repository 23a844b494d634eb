<script lang="ts">
	import { onMount } from 'svelte';
	import { Badge, Button } from 'flowbite-svelte';
	import { ALERT_KINDS } from '$core/events';
	import { standingWords } from '$core/onboarding';
	import { counted } from '$core/text';
	import { RunActions, standingOfRow } from '$ui/arrivals';
	import { act } from '$ui/forms';
	import { Notice, PageHead } from '$ui/kit';
	import { FindingText } from '$ui/drift';
	import { Callers } from '$ui/door';
	import { refreshOn } from '$ui/live';
	import { clock, duration, Serial, siteDayTime, Standing, When } from '$ui/marks';
	import { FormWords, mayDo } from '$ui/people';

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
		<ul class="sheet work mt-2" aria-label="Needs a person">
			{#each data.stuck as arrival (arrival.runId)}
				{@const standing = standingOfRow(arrival, clock.now)}
				<li data-serial={arrival.serial}>
					<div class="what">
						<p class="flex flex-wrap items-center gap-x-3">
							<Standing {standing} word={standingWords(standing, arrival.step)} />
							<a class="font-bold" href="/sites/{arrival.siteId}?position={arrival.positionId}"
								>{arrival.siteName} {arrival.positionName}</a
							>
							<span class="quiet">for {duration(clock.now - arrival.since)}</span>
						</p>
						<p class="mt-0.5">
							{#if arrival.failureWords}<span class="mono said" title={arrival.failureWords}
									>{arrival.failureWords}</span
								>{:else if arrival.wrongCode > 0}It called {counted(arrival.wrongCode, 'time')} with a wrong claim
								code.{/if}
							{#if arrival.advice}<span class="quiet">{arrival.advice}</span>{/if}
						</p>
					</div>
					<div class="do">
						<RunActions {arrival} brief />
						<a href="/units/{arrival.unitId}">What <Serial serial={arrival.serial} /> said</a>
					</div>
				</li>
			{/each}
			{#each data.unsound as site (site.id)}<li data-site={site.name}>
					<div class="what">
						<p class="flex flex-wrap items-center gap-x-3">
							<Standing standing="stuck" word="proof does not hold" />
							<a class="font-bold" href="/sites/{site.id}/proof">{site.name}</a>
							<span class="quiet">since <When at={site.since} /></span>
						</p>
						<p class="mt-0.5">{site.words}</p>
					</div>
					<p class="do"><a href="/sites/{site.id}/proof">See its proof</a></p>
				</li>{/each}
			{#each data.apart as { customerId, customerName, pairs, since } (customerId)}<li>
					<div class="what">
						<p class="flex flex-wrap items-center gap-x-3">
							<Standing standing="stuck" word="do not reach each other" />
							<a class="font-bold" href="/sites/reachability?customer={customerId}">{customerName}</a>
							<span class="quiet">since <When at={since} /></span>
						</p>
						<p class="mt-0.5">
							{counted(pairs, 'pair')} of sites that are online {pairs === 1 ? 'does' : 'do'} not reach each other.
						</p>
					</div>
					<p class="do">
						<a href="/sites/reachability?customer={customerId}">See what they have in common</a>
					</p>
				</li>{/each}
			{#each data.alerts as alert (alert.id)}<li data-alert={alert.id}>
					<div class="what">
						<p class="flex flex-wrap items-center gap-x-3">
							<Standing standing="stuck" word={ALERT_KINDS[alert.kind]} />
							<a class="font-bold" href="/upkeep/alerts/{alert.id}">{alert.where}</a>
							<span class="quiet">since <When at={alert.beganAt} /></span>
						</p>
						<p class="mt-0.5">{alert.words}</p>
					</div>
					<div class="do">
						{#if mayDo('prove', alert.customerId)}<form method="POST" action="?/see" use:act>
								<input type="hidden" name="alert" value={alert.id} />
								<Button type="submit" size="xs" color="alternative">Seen</Button>
							</form>{/if}
					</div>
				</li>{/each}
			{#if data.alertsMore}<li><p class="what"><a href="/upkeep/events">All alerts</a></p></li>{/if}
			{#each data.drifted as group (group.id)}<li data-finding={group.id}>
					<div class="what">
						<p class="flex flex-wrap items-center gap-x-3">
							<Standing
								standing="stuck"
								word={group.units === 1 ? 'runs something else' : 'run something else'}
							/>
							<a
								class="font-bold"
								href={group.where ? `/units/${group.unitId}/versions` : `/upkeep/findings/${group.id}`}
								>{group.where ?? `${counted(group.units, 'unit')} at ${counted(group.sites, 'site')}`}</a
							>
							<span class="quiet">since <When at={group.since} /></span>
						</p>
						<FindingText finding={group} brief />
					</div>
					<p class="do"><a href="/upkeep/findings/{group.id}">Decide what becomes of it</a></p>
				</li>{/each}
			{#if data.driftedMore}<li><p class="what"><a href="/upkeep">All that drifted</a></p></li>{/if}
			{#each data.stopped as rollout (rollout.id)}<li>
					<div class="what">
						<p class="flex flex-wrap items-center gap-x-3">
							<Standing standing="stuck" word="rollout stopped" />
							<a class="font-bold" href="/arrivals/rollouts/{rollout.id}">{rollout.title}</a>
						</p>
						<p class="mt-0.5">{rollout.words}</p>
					</div>
					<p class="do"><a href="/arrivals/rollouts/{rollout.id}">Decide whether it goes on</a></p>
				</li>{/each}
			{#each data.lostReports as report (report.id)}<li>
					<div class="what">
						<p class="flex flex-wrap items-center gap-x-3">
							<Standing
								standing="stuck"
								word={report.state === 'failed' ? 'report not made' : 'report did not arrive'}
							/>
							<a class="font-bold" href="/records/reports/{report.id}">{report.schedule}</a>
						</p>
						<p class="mt-0.5">
							{report.problem ||
								`It did not come to ${counted(report.lost, 'address', 'addresses')}. Send it again from there.`}
						</p>
					</div>
				</li>{/each}
			{#if data.behind > 0}<li>
					<p class="what">
						<a class="font-bold" href="/upkeep/behind">{counted(data.behind, 'unit')} behind</a> what is released
						and planned.
					</p>
				</li>{/if}
			{#each data.unreachable as unit (unit.id)}<li>
					<div class="what">
						<p class="flex flex-wrap items-center gap-x-3">
							<Standing standing="stuck" word="cannot be reached" />
							<a class="font-bold" href="/units/{unit.id}"><Serial serial={unit.serial} /></a>
							<span class="quiet"><When at={unit.at} /></span>
						</p>
						<p class="mt-0.5">{unit.words}</p>
					</div>
					<p class="do"><a href="/units/{unit.id}">Look at the unit</a></p>
				</li>{/each}
			{#each data.notHeard as arrival (arrival.runId)}<li data-serial={arrival.serial}>
					<div class="what">
						<p class="flex flex-wrap items-center gap-x-3">
							<Standing standing="not-heard" word="not heard" />
							<a class="font-bold" href="/sites/{arrival.siteId}?position={arrival.positionId}"
								>{arrival.siteName} {arrival.positionName}</a
							>
							<span class="quiet">for {duration(clock.now - (arrival.quietSince ?? clock.now))}</span>
						</p>
						<p class="quiet mt-0.5">It was online. Has it power, and is its uplink plugged in?</p>
					</div>
					<p class="do"><a href="/units/{arrival.unitId}">What <Serial serial={arrival.serial} /> said</a></p>
				</li>{/each}
			{#if data.notHeardCount > data.notHeard.length}<li>
					<p class="what">
						<a href="/units?standing=not-heard"
							>All {data.notHeardCount.toLocaleString('en')} that are not heard</a
						>
					</p>
				</li>{/if}
			{#if data.toApprove > 0}<li>
					<p class="what">
						<a class="font-bold" href="/intake/rules">{counted(data.toApprove, 'binding')} to approve</a>, as
						your rules for new units propose.
					</p>
				</li>{/if}
			{#each data.tight as pool (pool.id)}<li>
					<p class="what">
						<Badge color="yellow">nearly full</Badge>
						<a class="font-bold" href="/addresses/{pool.id}">{pool.name}</a> of {pool.customerName}: {pool.left}
						left{#if pool.wanting > 0}, {pool.wanting} wanted now{/if}.
					</p>
					<p class="do"><a href="/addresses/{pool.id}">Look at the pool</a></p>
				</li>{/each}
			{#if data.stuck.length + data.toApprove + data.tight.length + data.notHeard.length + data.unreachable.length + data.unsound.length + data.apart.length + data.drifted.length + data.alerts.length + data.stopped.length + data.lostReports.length + data.behind === 0}<li
				>
					<p class="what">
						Nothing needs you. {#if under > 0}<a href="/arrivals">{under.toLocaleString('en')} under way</a
							>.{:else}<a href="/intake">Take in units</a>
							or <a href="/sites">choose a site</a>.{/if}
					</p>
				</li>{/if}
		</ul>
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
						>{siteDayTime(new Date(site.appointmentAt!), site.timeZone)}</span
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
	.work li {
		display: grid;
		grid-template-columns: minmax(0, 1fr) auto;
		gap: 0.4rem 1.2rem;
		align-items: start;
		padding: 0.6rem 0.9rem;
		border-bottom: 1px solid var(--hairline);
	}
	.work li:last-child {
		border: 0;
	}
	.work .do {
		display: flex;
		flex-direction: column;
		align-items: end;
		gap: 0.3rem;
		text-align: right;
	}
	.said {
		display: block;
		overflow: hidden;
		font-size: 0.9rem;
		white-space: nowrap;
		text-overflow: ellipsis;
	}
	.list li {
		display: grid;
		grid-template-columns: 1fr auto 10rem;
		gap: 0.1rem 1rem;
		padding: 0.45rem 0.9rem;
		border-bottom: 1px solid var(--hairline);
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
	.list li:last-child {
		border: 0;
	}
	@media (max-width: 900px) {
		.work li {
			grid-template-columns: minmax(0, 1fr);
		}
		.work .do {
			align-items: start;
			text-align: left;
		}
		.said {
			white-space: normal;
		}
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
