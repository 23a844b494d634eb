<script lang="ts">
	import { Button, Checkbox } from 'flowbite-svelte';
	import { Form, FormField, PageHead } from '$ui/kit';
	import { FormWords } from '$ui/people';
	import { ReportPaper } from '$ui/reports';

	let { data, form } = $props();
	const look = $derived(data.look);
</script>

<PageHead title="How papers look">
	{#snippet about()}<a href="/records/reports">Reports</a><span
			>Reports and handovers are under the customer’s name, with its logo and its colour.</span
		>{/snippet}
</PageHead>
<FormWords {form} />
<form method="GET" class="mt-3 flex max-w-3xl flex-wrap items-end gap-3">
	<FormField
		label="Customer"
		kind="select"
		name="customer"
		stored={look?.customerId ?? ''}
		items={data.customers.map(({ id, name }) => ({ value: id, name }))}
	/>
	<Button type="submit" size="sm" color="alternative">Show it</Button>
</form>
{#if look}
	{#key look.customerId}
		<Form
			action="?/state&customer={look.customerId}"
			enctype="multipart/form-data"
			class="sheet mt-3 max-w-3xl p-4"
		>
			{#snippet children({ busy })}
				<input type="hidden" name="customer" value={look.customerId} />
				<input type="hidden" name="edit" value={look.edit} />
				<FormField
					label="Name on paper"
					name="name"
					stored={look.name}
					maxlength={120}
					placeholder={look.customer}
				/>
				<FormField
					label="Colour"
					name="colour"
					stored={look.paper.colour ?? ''}
					maxlength={7}
					placeholder="#17665f"
					hint="Of the line below the title."
					class="mt-3"
				/>
				<FormField
					label="Logo"
					kind="file"
					name="logo"
					hint="PNG or JPEG, at most 200 kB and 1,500 dots each way."
					class="mt-3"
				/>
				{#if look.paper.logo}<div class="mt-3"><Checkbox name="without">Without a logo</Checkbox></div>{/if}
				<Button type="submit" size="sm" class="mt-4" disabled={busy}>Keep this look</Button>
			{/snippet}
		</Form>
	{/key}
	<h2 class="mt-6">As it is now</h2>
	<ReportPaper
		report={{
			customer: look.name || look.customer,
			look: look.paper,
			title: 'Report',
			subtitle: 'The days that it is about',
			foot: '',
			blocks: []
		}}
	/>
{:else}<p class="sheet mt-3 p-4">There is no customer yet.</p>{/if}
