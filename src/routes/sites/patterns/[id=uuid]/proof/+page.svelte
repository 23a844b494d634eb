<script lang="ts">
	import { Button } from 'flowbite-svelte';
	import { PageHead } from '$ui/kit';
	import { FormWords, mayDo } from '$ui/people';
	import { LimitsForm } from '$ui/proof';

	let { data, form } = $props();
</script>

<PageHead title="What proofs check: {data.name}">
	{#snippet acts()}<Button href="/sites/patterns/{data.id}" size="sm" color="alternative">The pattern</Button
		>{/snippet}
	{#snippet about()}<span
			>Counts at every site of this pattern, from the next proof on, before what its profiles say.</span
		>{/snippet}
</PageHead>
<FormWords {form} />
{#key JSON.stringify(data.limits)}<LimitsForm
		limits={data.limits}
		mayWrite={mayDo('plan sites', data.customerId)}
	/>{/key}
