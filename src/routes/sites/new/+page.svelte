<script lang="ts">
	import { Button } from 'flowbite-svelte';
	import { enhance } from '$app/forms';
	import { goto } from '$app/navigation';
	import { FormWords } from '$ui/people';
	import { SiteForm } from '$ui/plan';

	let { data, form } = $props();
</script>

<svelte:head><title>Plan a site · Limen</title></svelte:head>
<div class="flex flex-wrap items-baseline gap-5">
	<h1>Plan a site</h1>
	<p class="quiet">Many alike? <a href="/sites/stamp">Stamp them from a pattern</a></p>
</div>
<FormWords {form} />
<form
	method="POST"
	class="sheet mt-3 p-4"
	use:enhance={() =>
		({ update }) =>
			update({ reset: false })}
>
	<label class="mb-4 block w-72"
		>Customer <select
			name="customer"
			class="field"
			value={data.customer.id}
			onchange={({ currentTarget }) =>
				void goto(`?customer=${currentTarget.value}`, { keepFocus: true, noScroll: true })}
			>{#each data.mine as customer (customer.id)}<option value={customer.id}>{customer.name}</option
				>{/each}</select
		></label
	>
	<SiteForm site={data.site} technicians={data.technicians}>
		<Button type="submit" size="sm">Plan the site</Button>
	</SiteForm>
</form>
