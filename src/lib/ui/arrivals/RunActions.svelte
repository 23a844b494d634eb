<script lang="ts">
	import { Button } from 'flowbite-svelte';
	import { failureOf, remedyFor, standingOf, type Limits, type RunStep } from '$core/onboarding';
	import { act } from '../forms';
	import { clock } from '../marks';
	import { mayDo } from '../people';

	/**
	 * What can be done about a bound unit's run, for whoever may: what helps now is filled. The actions are the
	 * page's own.
	 */
	interface Run extends Limits {
		readonly outcome: 'open' | 'failed' | 'through' | 'cancelled';
		readonly step: RunStep;
		readonly unitId: string;
		readonly siteId: string;
		readonly positionId: string;
		readonly customerId: string;
		readonly failureStep: string | null;
		readonly failureKind: string | null;
		readonly failureWords: string | null;
		readonly wrongCode: number;
	}
	/** `brief`: only what helps, for lists. */
	let { arrival, brief = false }: { arrival: Run; brief?: boolean } = $props();

	const remedy = $derived(remedyFor({ step: arrival.step, failure: failureOf(arrival) }, arrival));
	const helps = $derived.by((): { href: string; words: string } | null => {
		if (remedy?.kind === 'code' && mayDo('correct claim code', arrival.customerId))
			return { href: `/units/${arrival.unitId}#code`, words: 'Correct the claim code' };
		if (remedy?.kind === 'value' && mayDo('set values', arrival.customerId))
			return {
				href: `/values?position=${arrival.positionId}&field=${encodeURIComponent(remedy.field)}`,
				words: brief ? 'Give the value' : `Give “${remedy.field}” its value`
			};
		if (remedy?.kind === 'line' && mayDo('see renderings', arrival.customerId))
			return {
				href: `/sites/${arrival.siteId}?position=${arrival.positionId}&line=${remedy.line}#gets`,
				words: `See line ${remedy.line}`
			};
		if (remedy?.kind === 'send' && mayDo('send', arrival.customerId))
			return { href: `/units/${arrival.unitId}/send`, words: 'See what differs' };
		if ((remedy?.kind === 'check' || remedy?.kind === 'send') && brief)
			return { href: `/units/${arrival.unitId}#said`, words: 'See what did not hold' };
		return null;
	});
	const stalled = $derived(standingOf(arrival, clock.now, 0, arrival) === 'stalled');
	const failed = $derived(arrival.outcome === 'failed' || stalled);
</script>

<div class="flex gap-2" class:flex-wrap={!brief}>
	{#if helps}<Button href={helps.href} size={brief ? 'xs' : 'sm'}>{helps.words}</Button>{/if}
	{#if !(brief && helps) && (failed || (arrival.outcome === 'through' && !brief)) && mayDo('retry', arrival.customerId)}
		<form method="POST" action="?/retry&position={arrival.positionId}" use:act>
			<input type="hidden" name="position" value={arrival.positionId} /><Button
				type="submit"
				size={brief ? 'xs' : 'sm'}
				color={failed && !helps ? 'primary' : 'alternative'}
				>{failed ? 'Let it try again' : 'Let it start over'}</Button
			>
		</form>
	{/if}
	{#if !brief && mayDo('unbind', arrival.customerId)}
		<form method="POST" action="?/unbind&position={arrival.positionId}" use:act>
			<input type="hidden" name="position" value={arrival.positionId} /><Button
				type="submit"
				size={brief ? 'xs' : 'sm'}
				color="alternative">Unbind</Button
			>
		</form>
	{/if}
</div>
