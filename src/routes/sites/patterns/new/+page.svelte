<script lang="ts">
	import { FormField, PageHead } from '$ui/kit';
	import { goto } from '$app/navigation';
	import { FormWords } from '$ui/people';
	import { PatternEditor } from '$ui/plan';

	let { data, form } = $props();
</script>

<PageHead title="Make a site pattern" />
<FormWords {form} />
{#if data.mine.length > 1}
	<FormField
		label="For"
		kind="select"
		class="mt-3 block w-72"
		stored={data.customerId}
		onchange={({ currentTarget }) => void goto(`?customer=${currentTarget.value}`)}
		>{#each data.mine as customer (customer.id)}<option value={customer.id}>{customer.name}</option
			>{/each}</FormField
	>
{/if}
<div class="sheet mt-3 p-4">
	{#if data.profiles.length === 0}<p>
			A position follows a profile, and there is none yet. <a href="/profiles/begin">Begin a profile</a>
		</p>{:else}
		{#key data.pattern}<PatternEditor
				pattern={data.pattern}
				profiles={data.profiles}
				tunnelEnds={data.tunnelEnds}
				customerId={data.customerId}
				mayWrite
			/>{/key}{/if}
</div>
