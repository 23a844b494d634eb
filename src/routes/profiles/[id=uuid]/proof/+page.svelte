<script lang="ts">
	import { Button } from 'flowbite-svelte';
	import { PageHead } from '$ui/kit';
	import { FormWords, mayDo } from '$ui/people';
	import { LimitsForm } from '$ui/proof';

	let { data, form } = $props();
</script>

<PageHead title="What proofs check: {data.name}">
	{#snippet acts()}<Button href="/profiles/{data.id}" size="sm" color="alternative">The profile</Button
		>{/snippet}
	{#snippet about()}<span
			>Counts at every position with this profile, from the next proof on; a site’s pattern comes before it.</span
		>{/snippet}
</PageHead>
<FormWords {form} />
{#key JSON.stringify(data.limits)}<LimitsForm limits={data.limits} mayWrite={mayDo('edit profiles')} />{/key}
