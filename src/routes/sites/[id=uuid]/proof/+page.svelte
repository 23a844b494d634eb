<script lang="ts">
	import { Button } from 'flowbite-svelte';
	import { onMount } from 'svelte';
	import { counted } from '$core/text';
	import { act } from '$ui/forms';
	import { PageHead } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { Standing, When } from '$ui/marks';
	import { FormWords, mayDo } from '$ui/people';
	import { CheckList } from '$ui/proof';

	let { data, form } = $props();
	onMount(() => refreshOn(['proofs', 'runs', 'units']));

	const proof = $derived(data.proof);
	const mayProve = $derived(mayDo('prove', data.site.customerId));
	const isHeld = $derived(proof?.state === 'held');
	/** What helps now, once all of it is proven. */
	const isToHandOver = $derived(isHeld && !data.wasHandedOver);
	const units = $derived(
		[...new Map(proof?.checks.map((one) => [one.positionId, one.positionName]) ?? [])].map(([id, name]) => ({
			id,
			name,
			checks: proof!.checks.filter(({ positionId }) => positionId === id)
		}))
	);
	const faulty = $derived(
		proof?.checks.filter(({ state }) => state === 'fails' || state === 'unread').length ?? 0
	);
	const held = $derived(
		proof?.checks.filter(({ state }) => state === 'holds' || state === 'cannot').length ?? 0
	);
	const WHY = {
		asked: 'asked for',
		complete: 'after its last unit came through',
		due: 'as every day',
		sent: 'after something was sent'
	} as const;
	/** What does not hold comes first. */
	const first = (checks: readonly { readonly state: string }[]) =>
		checks.some(({ state }) => state === 'fails' || state === 'unread') ? 0 : 1;
</script>

{#snippet handOver()}{#if mayProve}<Button
			href="/sites/{data.site.id}/handover"
			size="sm"
			color={isToHandOver ? 'primary' : 'alternative'}>Hand it over</Button
		>{/if}{/snippet}
<PageHead title="Proof of {data.site.name}">
	{#snippet state()}
		{#if !proof}<Standing standing="open" word="not yet proven" />
		{:else if proof.state === 'open'}<Standing standing="moving" word="being proven" />
			<span class="quiet">{held} of {counted(proof.checks.length, 'check')} so far</span>
		{:else if proof.state === 'held'}<Standing standing="through" word="proven" />
			<span class="quiet">{counted(proof.checks.length, 'check holds', 'checks hold')}</span>
		{:else if proof.state === 'failed'}<Standing standing="stuck" word="does not hold" />
			<span class="quiet">{faulty} of {counted(proof.checks.length, 'check')}</span>
		{/if}
	{/snippet}
	{#snippet acts()}
		{#if isToHandOver}{@render handOver()}{/if}
		{#if mayProve}<form method="POST" action="?/prove" use:act>
				<Button
					type="submit"
					size="sm"
					color={isToHandOver || proof?.state === 'open' ? 'alternative' : 'primary'}
					>{proof?.state === 'open' ? 'Begin anew' : 'Prove this site'}</Button
				>
			</form>{/if}
		{#if proof && !isToHandOver && proof.state !== 'open'}{@render handOver()}{/if}
		<Button href="/sites/{data.site.id}" size="sm" color="alternative">The site</Button>
	{/snippet}
	{#snippet about()}
		{#if proof}<span
				>{data.site.customerName} · {WHY[proof.why]}{proof.askedBy ? ` by ${proof.askedBy}` : ''}, <When
					at={proof.begunAt}
				/></span
			>
			{#if data.summary.state === 'failed' && data.summary.since}<span
					>It has not held since <When at={data.summary.since} />.</span
				>{/if}
		{/if}
	{/snippet}
</PageHead>
<FormWords {form} />
{#if !proof}
	<p class="sheet mt-4 p-6">
		Nothing was checked here yet. A site is proven by itself when its last unit has come through; you can
		prove it now as well.
	</p>
{:else}
	<p class="sr-only" role="status">
		{proof.state === 'open' ? `${held} of ${proof.checks.length} checks so far` : `Proof ${proof.state}`}
	</p>
	<div class="units mt-4">
		{#each [...units].sort((a, b) => first(a.checks) - first(b.checks)) as unit (unit.id)}
			<CheckList
				name={unit.name}
				checks={unit.checks}
				proofId={proof.id}
				siteId={data.site.id}
				mayAgain={mayProve && proof.state !== 'ended'}
			/>
		{/each}
	</div>
{/if}

<style>
	.units {
		display: grid;
		grid-template-columns: repeat(auto-fill, minmax(min(24rem, 100%), 1fr));
		gap: 1rem;
		align-items: start;
	}
</style>
