<script lang="ts">
	import type { ComponentProps } from 'svelte';
	import { Badge, Button } from 'flowbite-svelte';
	import { ALERT_KINDS, type AlertKind } from '$core/events';
	import { standingWords, type Arrival } from '$core/onboarding';
	import { counted } from '$core/text';
	import { RunActions, standingOfRow } from '../arrivals';
	import { FindingText } from '../drift';
	import { act } from '../forms';
	import { clock, Serial } from '../marks';
	import { mayDo } from '../people';
	import NeedLine from './NeedLine.svelte';

	/** Something at a place of its own. */
	interface Placed {
		readonly id: string;
		readonly since: Date | number | string;
		readonly words: string;
	}
	type Quiet = Arrival & { readonly quietSince?: number | null };
	/** All that needs a person, what is worst first; of some there are more than stand here. */
	interface Props {
		stuck: readonly (Arrival & { readonly advice: string | null })[];
		unsound: readonly (Placed & { readonly name: string })[];
		apart: readonly {
			readonly customerId: string;
			readonly customerName: string;
			readonly pairs: number;
			readonly since: Date | number | string;
		}[];
		alerts: readonly {
			readonly id: string;
			readonly kind: AlertKind;
			readonly where: string;
			readonly customerId: string;
			readonly beganAt: Date;
			readonly words: string;
		}[];
		alertsMore: boolean;
		drifted: readonly (ComponentProps<typeof FindingText>['finding'] & {
			readonly id: string;
			/** Of one unit alone: which, and where. */
			readonly unitId: string | null;
			readonly where: string | null;
			readonly units: number;
			readonly sites: number;
			readonly since: Date | number | string;
		})[];
		driftedMore: boolean;
		stopped: readonly { readonly id: string; readonly title: string; readonly words: string }[];
		lostReports: readonly {
			readonly id: string;
			readonly state: string;
			/** None: it was made by hand. */
			readonly schedule: string | null;
			readonly askedBy: string;
			readonly problem: string;
			readonly lost: number;
		}[];
		/** How many units are behind what is released. */
		behind: number;
		unreachable: readonly (Pick<Placed, 'id' | 'words'> & {
			readonly serial: string;
			readonly at: Date | number | string;
		})[];
		notHeard: readonly Quiet[];
		notHeardCount: number;
		/** How many bindings wait for approval. */
		toApprove: number;
		tight: readonly {
			readonly id: string;
			readonly name: string;
			readonly customerName: string;
			readonly left: number;
			readonly wanting: number;
		}[];
		/** How many units are under way. */
		under: number;
	}
	let {
		stuck,
		unsound,
		apart,
		alerts,
		alertsMore,
		drifted,
		driftedMore,
		stopped,
		lostReports,
		behind,
		unreachable,
		notHeard,
		notHeardCount,
		toApprove,
		tight,
		under
	}: Props = $props();

	const nothing = $derived(
		[stuck, unsound, apart, alerts, drifted, stopped, lostReports, unreachable, notHeard, tight].every(
			({ length }) => length === 0
		) && behind + toApprove === 0
	);
	const at = ({ siteId, positionId, siteName, positionName }: Arrival) => ({
		href: `/sites/${siteId}?position=${positionId}`,
		name: `${siteName} ${positionName}`
	});
</script>

{#snippet said({ unitId, serial }: Arrival)}<a href="/units/{unitId}">What <Serial {serial} /> said</a
	>{/snippet}
{#snippet more(href: string, words: string)}<li><p class="what"><a {href}>{words}</a></p></li>{/snippet}

<ul class="sheet work mt-2" aria-label="Needs a person">
	{#each stuck as arrival (arrival.runId)}
		{@const standing = standingOfRow(arrival, clock.now)}
		<NeedLine
			data-serial={arrival.serial}
			{standing}
			word={standingWords(standing, arrival.step)}
			{...at(arrival)}
			since={arrival.since}
			lasts
		>
			<p class="mt-0.5">
				{#if arrival.failureWords}<span class="mono said" title={arrival.failureWords}
						>{arrival.failureWords}</span
					>{:else if arrival.wrongCode > 0}It called {counted(arrival.wrongCode, 'time')} with a wrong claim code.{/if}
				{#if arrival.advice}<span class="quiet">{arrival.advice}</span>{/if}
			</p>
			{#snippet acts()}<RunActions {arrival} brief />{@render said(arrival)}{/snippet}
		</NeedLine>
	{/each}
	{#each unsound as site (site.id)}
		<NeedLine
			data-site={site.name}
			standing="stuck"
			word="proof does not hold"
			href="/sites/{site.id}/proof"
			name={site.name}
			since={site.since}
			words={site.words}
			next={{ href: `/sites/${site.id}/proof`, words: 'See its proof' }}
		/>
	{/each}
	{#each apart as { customerId, customerName, pairs, since } (customerId)}
		{@const href = `/sites/reachability?customer=${customerId}`}
		<NeedLine
			standing="stuck"
			word="do not reach each other"
			{href}
			name={customerName}
			{since}
			words="{counted(pairs, 'pair')} of sites that are online {pairs === 1
				? 'does'
				: 'do'} not reach each other."
			next={{ href, words: 'See what they have in common' }}
		/>
	{/each}
	{#each alerts as alert (alert.id)}
		<NeedLine
			data-alert={alert.id}
			standing="stuck"
			word={ALERT_KINDS[alert.kind]}
			href="/upkeep/alerts/{alert.id}"
			name={alert.where}
			since={alert.beganAt}
			words={alert.words}
		>
			{#snippet acts()}{#if mayDo('prove', alert.customerId)}<form method="POST" action="?/see" use:act>
						<input type="hidden" name="alert" value={alert.id} />
						<Button type="submit" size="xs" color="alternative">Seen</Button>
					</form>{/if}{/snippet}
		</NeedLine>
	{/each}
	{#if alertsMore}{@render more('/upkeep/events', 'All alerts')}{/if}
	{#each drifted as group (group.id)}
		<NeedLine
			data-finding={group.id}
			standing="stuck"
			word={group.units === 1 ? 'runs something else' : 'run something else'}
			href={group.where ? `/units/${group.unitId}/versions` : `/upkeep/findings/${group.id}`}
			name={group.where ?? `${counted(group.units, 'unit')} at ${counted(group.sites, 'site')}`}
			since={group.since}
			next={{ href: `/upkeep/findings/${group.id}`, words: 'Decide what becomes of it' }}
		>
			<FindingText finding={group} brief />
		</NeedLine>
	{/each}
	{#if driftedMore}{@render more('/upkeep', 'All that drifted')}{/if}
	{#each stopped as rollout (rollout.id)}
		<NeedLine
			standing="stuck"
			word="rollout stopped"
			href="/arrivals/rollouts/{rollout.id}"
			name={rollout.title}
			words={rollout.words}
			next={{ href: `/arrivals/rollouts/${rollout.id}`, words: 'Decide whether it goes on' }}
		/>
	{/each}
	{#each lostReports as report (report.id)}
		<NeedLine
			standing="stuck"
			word={report.state === 'failed' ? 'report not made' : 'report did not arrive'}
			href="/records/reports/{report.id}"
			name={report.schedule ?? `A report for ${report.askedBy}`}
			words={report.problem ||
				`It did not come to ${counted(report.lost, 'address', 'addresses')}. Send it again from there.`}
		/>
	{/each}
	{#if behind > 0}<li>
			<p class="what">
				<a class="font-bold" href="/upkeep/behind">{counted(behind, 'unit')} behind</a> what is released and planned.
			</p>
		</li>{/if}
	{#each unreachable as unit (unit.id)}
		<NeedLine
			standing="stuck"
			word="cannot be reached"
			href="/units/{unit.id}"
			since={unit.at}
			words={unit.words}
			next={{ href: `/units/${unit.id}`, words: 'Look at the unit' }}
		>
			{#snippet name()}<Serial serial={unit.serial} />{/snippet}
		</NeedLine>
	{/each}
	{#each notHeard as arrival (arrival.runId)}
		<NeedLine
			data-serial={arrival.serial}
			standing="not-heard"
			word="not heard"
			{...at(arrival)}
			since={arrival.quietSince ?? clock.now}
			lasts
		>
			<p class="quiet mt-0.5">It was online. Has it power, and is its uplink plugged in?</p>
			{#snippet acts()}{@render said(arrival)}{/snippet}
		</NeedLine>
	{/each}
	{#if notHeardCount > notHeard.length}{@render more(
			'/units?standing=not-heard',
			`All ${notHeardCount.toLocaleString('en')} that are not heard`
		)}{/if}
	{#if toApprove > 0}<li>
			<p class="what">
				<a class="font-bold" href="/intake/rules">{counted(toApprove, 'binding')} to approve</a>, as your
				rules for new units propose.
			</p>
		</li>{/if}
	{#each tight as pool (pool.id)}<li>
			<p class="what">
				<Badge color="yellow">nearly full</Badge>
				<a class="font-bold" href="/addresses/{pool.id}">{pool.name}</a> of {pool.customerName}: {pool.left}
				left{#if pool.wanting > 0}, {pool.wanting} wanted now{/if}.
			</p>
			<p class="do"><a href="/addresses/{pool.id}">Look at the pool</a></p>
		</li>{/each}
	{#if nothing}<li>
			<p class="what">
				Nothing needs you. {#if under > 0}<a href="/arrivals">{under.toLocaleString('en')} under way</a
					>.{:else}<a href="/intake">Take in units</a>
					or <a href="/sites">choose a site</a>.{/if}
			</p>
		</li>{/if}
</ul>

<style>
	.work :global(li) {
		display: grid;
		grid-template-columns: minmax(0, 1fr) auto;
		gap: 0.4rem 1.2rem;
		align-items: start;
	}
	.work :global(.do) {
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
	@media (max-width: 900px) {
		.work :global(li) {
			grid-template-columns: minmax(0, 1fr);
		}
		.work :global(.do) {
			align-items: start;
			text-align: left;
		}
		.said {
			white-space: normal;
		}
	}
</style>
