<script lang="ts">
	import type { ComponentProps } from 'svelte';
	import type { SiteFacts } from '$core/plan';
	import { UPLINK_WORDS, type UplinkKind } from '$core/profile';
	import { isRestricted, nextOpen, type Window } from '$core/windows';
	import type { Gap } from '$core/watch';
	import { Facts, Notice } from '../kit';
	import { clock, hourOf, momentOf } from '../marks';
	import { mayDo } from '../people';
	import { ProofLine } from '../proof';

	/** What one needs to know of a site at a glance: where, when, who, its uplink, and what is still missing. */
	interface Props {
		site: {
			readonly id: string;
			readonly customerId: string;
			readonly street: string;
			readonly locality: string;
			readonly timeZone: string;
			readonly contact: string;
			readonly uplink: UplinkKind;
			readonly appointmentAt: Date | null;
		};
		facts: SiteFacts;
		minutes: number;
		technician: string | null;
		/** The addresses on its cards that are good. */
		links: { readonly count: number; readonly until: Date | null };
		/** What stands between it and its appointment. */
		gaps: readonly Gap[];
		proof: ComponentProps<typeof ProofLine>['proof'];
		/** When disruptive acts are allowed. */
		window: Window;
		/** Units are still to come online. */
		toCome: boolean;
	}
	let { site, facts, minutes, technician, links, gaps, proof, window, toCome }: Props = $props();
	const MISSING_SHOWN = 6;
	const now = $derived(Math.floor(clock.now / 60_000) * 60_000);
	const windowWords = $derived.by(() => {
		const next = nextOpen(window, now);
		if (!next) return 'no window to come';
		return next.from <= now
			? `window open until ${hourOf(next.until, window.zone)}`
			: `next window ${momentOf(next.from, window.zone)}–${hourOf(next.until, window.zone)}`;
	});
</script>

<Facts>
	<div>
		<dt>Where</dt>
		<dd>
			{[site.street, site.locality].filter(Boolean).join(', ') || 'not known'}
			{#if facts.directions}<span class="quiet block">{facts.directions}</span>{/if}
		</dd>
	</div>
	<div>
		<dt>When</dt>
		<dd>
			{#if site.appointmentAt}{momentOf(site.appointmentAt, site.timeZone)}, {minutes} min{:else}no
				appointment{/if}
			<span class="quiet block"
				>{hourOf(clock.now, site.timeZone)} there now{facts.accessHours
					? `; open ${facts.accessHours}`
					: ''}</span
			>
			{#if isRestricted(window)}<a href="/upkeep/windows?site={site.id}" class="block">{windowWords}</a>{/if}
		</dd>
	</div>
	<div>
		<dt>Who</dt>
		<dd>
			{#if technician}{technician} goes there{/if}
			<span class={technician ? 'quiet block' : ''}
				>{site.contact || (technician ? '' : 'nobody named')}{#if facts.phone}
					<a href="tel:{facts.phone.replace(/[^\d+]/g, '')}" class="whitespace-nowrap">{facts.phone}</a
					>{/if}</span
			>
		</dd>
	</div>
	<div>
		<dt>Uplink</dt>
		<dd>
			{[UPLINK_WORDS[site.uplink], facts.provider, facts.circuit].filter(Boolean).join(', ')}
			{#if site.uplink === 'cellular'}<span class="quiet block"
					>SIM {facts.sim || 'not known'}, APN {facts.apn || 'not known'}</span
				>{/if}
			{#if links.count > 0}<span class="quiet block"
					>{links.count === 1 ? 'its card’s address is' : `${links.count} cards’ addresses are`} good until {momentOf(
						links.until!,
						site.timeZone
					)}</span
				>{/if}
		</dd>
	</div>
	<div>
		<dt>Proof</dt>
		<dd>
			<ProofLine siteId={site.id} {proof} />
			{#if toCome && mayDo('see renderings', site.customerId)}<a
					href="/sites/{site.id}/rehearsal"
					class="block">What would come of it?</a
				>{/if}
		</dd>
	</div>
</Facts>
{#if gaps.length > 0}<Notice kind="careful">
		<b>Missing before anybody can go there:</b>
		<ul aria-label="What is missing" id="gaps">
			{#each gaps.slice(0, MISSING_SHOWN) as gap, index (index)}<li>
					{gap.position ? `${gap.position}: ` : ''}{gap.words}
					{#if mayDo('plan sites')}<a href={gap.act.href}>{gap.act.words}</a>{/if}
				</li>{/each}
			{#if gaps.length > MISSING_SHOWN}<li class="quiet">
					and {gaps.length - MISSING_SHOWN} more
				</li>{/if}
		</ul>
	</Notice>{/if}
