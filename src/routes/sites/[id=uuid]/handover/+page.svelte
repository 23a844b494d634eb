<script lang="ts">
	import { Button, Radio } from 'flowbite-svelte';
	import { onMount, untrack } from 'svelte';
	import { counted, exactly } from '$core/text';
	import { HandoverTable, SignatureField } from '$ui/handover';
	import { Form, FormField, Notice, PageHead } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { FormWords, mayDo } from '$ui/people';
	import { ProofLine } from '$ui/proof';

	let { data, form } = $props();
	onMount(() => refreshOn(['proofs']));
	const mayMake = $derived(mayDo('prove', data.site.customerId));
	const isReady = $derived(data.summary.state !== null && !data.summary.isOpen);
	let how = $state(untrack(() => (data.signatures.length > 0 ? 'on the phone' : 'on the screen')));
	let signed = $state(untrack(() => data.signatures[0]?.id ?? ''));
	let signature = $state('');
	// Another handover is signed anew
	$effect(() => {
		if (data.handovers.length >= 0) signature = '';
	});
</script>

<PageHead title="Handover of {data.site.name}">
	{#snippet state()}<ProofLine siteId={data.site.id} proof={data.summary} />{/snippet}
	{#snippet acts()}<Button href="/sites/{data.site.id}" size="sm" color="alternative">The site</Button
		>{/snippet}
	{#snippet about()}<span
			>{data.site.customerName} · A record of what stands here and what its proof showed, sealed for the customer.</span
		>{/snippet}
</PageHead>
<FormWords {form} />
{#if mayMake}
	{#if !isReady}
		<Notice kind="careful" class="mt-3"
			>{data.summary.isOpen
				? 'The site is being proven; it can be handed over when that has ended.'
				: 'The site is not proven yet: a handover says what its proof showed.'}
			<a href="/sites/{data.site.id}/proof">See its proof</a></Notice
		>
	{:else}
		{#key data.handovers.length}<Form action="?/make" stays class="sheet mt-3 max-w-3xl p-4">
				{#snippet children({ busy })}
					{#if data.open.length > 0}
						<p><b>These checks do not hold and become open points:</b></p>
						<ul class="mb-3 list-disc pl-5">
							{#each data.open as one (one)}<li>{one}</li>{/each}
						</ul>
					{/if}
					<FormField
						label="Other open points"
						kind="lines"
						name="openPoints"
						hint="One a line, or nothing."
						maxlength={8000}
					/>
					<fieldset class="mt-3">
						<legend class="font-semibold">How it is accepted</legend>
						<div class="mt-1 flex flex-wrap gap-5">
							{#if data.signatures.length > 0}<Radio name="how" value="on the phone" bind:group={how}
									>They signed on the technician’s phone</Radio
								>{/if}
							<Radio name="how" value="on the screen" bind:group={how}>They sign on this screen</Radio>
							<Radio name="how" value="by telephone" bind:group={how}>They accept it by telephone</Radio>
						</div>
					</fieldset>
					{#if how === 'on the phone'}
						<input
							type="hidden"
							name="acceptedBy"
							value={data.signatures.find(({ id }) => id === signed)?.name}
						/>
						<FormField
							label="Signed by"
							kind="select"
							name="signed"
							class="mt-3 max-w-md"
							bind:value={signed}
							items={data.signatures.map(({ id, name, at }) => ({
								value: id,
								name: `${name}, ${exactly(new Date(at), data.site.timeZone)}`
							}))}
						/>
					{:else}<FormField
							label="Accepted by"
							name="acceptedBy"
							required
							maxlength={200}
							stored={data.site.contact.split(',')[0]}
							class="mt-3"
							autocomplete="off"
						/>{/if}
					<input type="hidden" name="signature" value={how === 'on the screen' ? signature : ''} />
					{#if how === 'on the screen'}<div class="mt-3"><SignatureField bind:path={signature} /></div>{/if}
					<p class="quiet mt-3">
						It takes along {counted(data.photos, 'photo')} and {counted(data.notes, 'note')} from the site.
					</p>
					<Button type="submit" size="sm" class="mt-4" disabled={busy}>Hand over {data.site.name}</Button>
				{/snippet}
			</Form>{/key}
	{/if}
{/if}
<h2 class="mt-6">Handovers of this site</h2>
{#if data.handovers.length === 0}<p class="quiet mt-1">None was made yet.</p>
{:else}<HandoverTable rows={data.handovers} ofSite />{/if}
