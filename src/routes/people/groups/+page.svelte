<script lang="ts">
	import { Button, TableBody, TableBodyCell, TableBodyRow, TableHead, TableHeadCell } from 'flowbite-svelte';
	import { DUTIES, DUTY_WORDS } from '$core/people';
	import { Form, FormField, PageHead, Table } from '$ui/kit';
	import { FormWords } from '$ui/people';

	let { data, form } = $props();
	let duty = $state('technician');
	const duties = [
		...DUTIES.map((one) => ({ value: one as string, name: `${one}: ${DUTY_WORDS[one]}` })),
		{ value: 'administrator', name: 'administrator: has every right at every customer' }
	];
</script>

<PageHead title="Groups">
	{#snippet about()}<a href="/people">People</a><span
			>{#if data.firm}Whoever comes in through {data.firm.name} may do what their groups may. What is given to a
				person here stays, whatever their groups say.{:else}Nobody comes in through the firm yet:
				LIMEN_OIDC_ISSUER says where its identity provider is.{/if}</span
		>{/snippet}
</PageHead>
<FormWords {form} />
{#if data.mapped.length > 0}
	<div class="mt-3 max-w-4xl">
		<Table>
			<TableHead
				><TableHeadCell>Group</TableHeadCell><TableHeadCell>What it may do</TableHeadCell><TableHeadCell
					>At</TableHeadCell
				><TableHeadCell><span class="sr-only">Remove</span></TableHeadCell></TableHead
			>
			<TableBody>
				{#each data.mapped as one (one.id)}<TableBodyRow data-group={one.group}
						><TableBodyCell class="font-semibold">{one.group}</TableBodyCell><TableBodyCell
							>{one.duty ?? 'administrator'}</TableBodyCell
						><TableBodyCell>{one.customer ?? 'every customer'}</TableBodyCell><TableBodyCell
							><Form action="?/unmap" casual
								>{#snippet children({ busy })}<input type="hidden" name="mapped" value={one.id} /><Button
										type="submit"
										size="xs"
										color="alternative"
										disabled={busy}
										aria-label="Remove {one.duty ?? 'administrator'} of {one.group}">Remove</Button
									>{/snippet}</Form
							></TableBodyCell
						></TableBodyRow
					>{/each}
			</TableBody>
		</Table>
	</div>
{:else}<p class="sheet mt-3 max-w-4xl p-4">No group may do anything here yet.</p>{/if}
<h2 class="mt-6">Another group</h2>
{#key data.mapped.length}
	<Form action="?/map" class="sheet mt-2 flex max-w-4xl flex-wrap items-end gap-3 p-4">
		{#snippet children({ busy })}
			<FormField label="Group, as the provider calls it" name="group" maxlength={300} required />
			<FormField label="What it may do" kind="select" name="duty" bind:value={duty} items={duties} />
			{#if duty !== 'administrator'}<FormField
					label="At"
					kind="select"
					name="customer"
					items={data.customers.map(({ id, name }) => ({ value: id, name }))}
				/>{/if}
			<Button type="submit" size="sm" disabled={busy}>Map it</Button>
		{/snippet}
	</Form>
{/key}
