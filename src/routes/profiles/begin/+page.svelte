<script lang="ts">
	import { FormField, PageHead } from '$ui/kit';
	import { untrack } from 'svelte';
	import { Button, Checkbox, Radio } from 'flowbite-svelte';
	import { act } from '$ui/forms';
	import { coverageOf, fieldsOfPieces, partsFor, PURPOSE_WORDS, SCOPES, stepsFor } from '$core/profile';
	import { FormWords } from '$ui/people';

	let { data, form } = $props();
	let role = $state(
		untrack(() => data.roles.find(({ id }) => id === 'gateway')?.id ?? data.roles[0]?.id ?? '')
	);
	let uplink = $state<'any' | 'fibre' | 'dsl' | 'cellular'>('any');
	let guests = $state(true);
	let tunnel = $state(false);
	const routes = $derived(role !== 'access-point' && role !== 'switch');
	const steps = $derived(partsFor(stepsFor({ role, uplink, guests, tunnel }), data.library));
	const parts = $derived(steps.flatMap(({ part }) => (part ? [part] : [])));
	const coverage = $derived(
		coverageOf(role, parts, data.models).filter(
			({ gaps }) => !gaps.some((gap) => gap.startsWith('It cannot serve'))
		)
	);
	const fields = $derived(fieldsOfPieces(parts).fields);
	const WHERE = {
		profile: 'in the profile',
		customer: 'for each customer',
		site: 'at each site',
		position: 'at each position'
	};
</script>

<PageHead title="Begin a profile">
	{#snippet about()}<span
			>A few answers, and a draft comes out of the parts library. Everything can be changed afterwards.</span
		>{/snippet}
</PageHead>
<FormWords {form} />
<div class="two mt-4">
	<form
		method="POST"
		use:act={() =>
			({ update }) =>
				update({ reset: false })}
		class="sheet p-4"
	>
		<FormField label="Name" name="name" required maxlength={120} autocomplete="off" />
		<fieldset class="mt-4">
			<legend class="font-semibold">For which positions?</legend>
			{#each data.roles as one (one.id)}<Radio name="role" value={one.id} bind:group={role} class="mt-1"
					>{one.name}</Radio
				>{/each}
		</fieldset>
		{#if routes}
			<fieldset class="mt-4">
				<legend class="font-semibold">How does it reach the internet?</legend>
				{#each [['any', 'as each site says'], ['fibre', 'over fibre'], ['dsl', 'over DSL'], ['cellular', 'over cellular']] as const as [value, words] (value)}
					<Radio name="uplink" {value} bind:group={uplink} class="mt-1">{words}</Radio>
				{/each}
			</fieldset>
		{/if}
		<fieldset class="mt-4">
			<legend class="font-semibold">What else?</legend>
			<Checkbox name="guests" bind:checked={guests} classes={{ div: 'choice' }}
				>{routes ? 'a network for guests' : 'Wi-Fi for guests'}</Checkbox
			>
			{#if routes}<Checkbox name="tunnel" bind:checked={tunnel} classes={{ div: 'choice' }}
					>a tunnel to the customer’s hub</Checkbox
				>{/if}
		</fieldset>
		<Button type="submit" class="mt-5">Begin the draft</Button>
	</form>
	<section>
		<h2>It would be made of</h2>
		<ol class="sheet mt-2" aria-label="Parts of the draft">
			{#each steps as step (step.purpose)}
				<li>
					{#if step.part}<a href="/profiles/parts/{step.part.id}" class="font-semibold">{step.part.name}</a
						>{:else}<b class="text-[var(--brick)]"
							>The library has no part for {PURPOSE_WORDS[step.purpose]}</b
						>{/if}
					<span class="weight" class:must={step.weight === 'necessary'}>{step.weight}</span>
					<div class="quiet">{step.because}</div>
				</li>
			{/each}
		</ol>
		<h2 class="mt-5">It would serve</h2>
		<ul class="mt-1">
			{#each coverage as model (model.modelId)}<li>
					<b>{model.modelName}</b>
					<span class="quiet">{model.gaps[0] ?? 'served'}</span>
				</li>{:else}<li class="quiet">No model can be a {role}.</li>{/each}
		</ul>
		<h2 class="mt-5">It would ask for</h2>
		<dl class="facts mt-1">
			{#each SCOPES as scope (scope)}
				{@const asked = fields.filter((field) => field.scope === scope && field.formula === undefined)}
				{#if asked.length > 0}<dt>{WHERE[scope]}</dt>
					<dd class="mono">
						{#each asked as field, index (field.name)}{index > 0 ? ', ' : ''}<span
								title="{field.description} ({field.need})">{field.name}</span
							>{#if field.need === 'required'}<b class="text-[var(--brick)]" title="required">*</b
								>{/if}{/each}
					</dd>{/if}
			{/each}
		</dl>
		<p class="quiet mt-1">
			Those with a star are necessary; formulas and the parts’ own values give the rest.
		</p>
	</section>
</div>

<style>
	.two {
		--columns: minmax(0, 24rem) minmax(0, 1fr);
	}
	.weight {
		margin-left: 0.6rem;
		padding: 0 0.5rem;
		border: 1px solid var(--hairline);
		border-radius: 4px;
		color: var(--quiet);
	}
	.weight.must {
		border-color: var(--pine);
		color: var(--pine);
	}
</style>
