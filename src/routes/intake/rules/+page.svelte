<script lang="ts">
	import { FormField, PageHead, Table } from '$ui/kit';
	import { counted } from '$core/text';
	import { onMount } from 'svelte';
	import { Button, TableBody, TableBodyCell, TableBodyRow, TableHead, TableHeadCell } from 'flowbite-svelte';
	import { act } from '$ui/forms';
	import { refreshOn } from '$ui/live';
	import { Serial, momentOf, Warnings } from '$ui/marks';
	import { FormWords, mayDo } from '$ui/people';

	let { data, form } = $props();
	onMount(() => refreshOn(['plan', 'runs', 'units']));
	const planned = $derived(data.customers.filter(({ id }) => mayDo('plan sites', id)));
	let left = $state<ReadonlySet<string>>(new Set());
	const chosen = $derived(data.proposals.filter(({ unitId }) => !left.has(unitId)));
	const choose = (unitId: string, wanted: boolean) => {
		const next = new Set(left);
		if (wanted) next.delete(unitId);
		else next.add(unitId);
		left = next;
	};
</script>

<PageHead title="Rules for new units">
	{#snippet acts()}<Button href="/intake" size="sm" color="alternative">Intake</Button>{/snippet}
	{#snippet about()}<span
			>Units of a model, as soon as they are taken in, fill open positions of a role: the nearest appointment
			first.</span
		>{/snippet}
</PageHead>
<FormWords {form} />

{#if data.proposals.length > 0}
	<h2 class="mt-5">To approve</h2>
	<form method="POST" action="?/approve" use:act class="mt-2">
		<Table label="To approve">
			<TableHead
				><TableHeadCell><span class="sr-only">Choose</span></TableHeadCell><TableHeadCell>Unit</TableHeadCell
				><TableHeadCell>Position</TableHeadCell><TableHeadCell>Appointment, site’s time</TableHeadCell
				><TableHeadCell>Customer</TableHeadCell><TableHeadCell><span class="sr-only">Do</span></TableHeadCell
				></TableHead
			>
			<TableBody>
				{#each data.proposals as one (one.unitId)}
					<TableBodyRow data-proposal={one.serial}>
						<TableBodyCell
							><input
								type="checkbox"
								name="unit"
								value={one.unitId}
								checked={!left.has(one.unitId)}
								onchange={({ currentTarget }) => choose(one.unitId, currentTarget.checked)}
								aria-label="Approve {one.serial}"
							/></TableBodyCell
						>
						<TableBodyCell
							><a href="/units/{one.unitId}"><Serial serial={one.serial} /></a>
							<span class="quiet">{one.modelName}</span><Warnings warnings={one.warnings} /></TableBodyCell
						>
						<TableBodyCell
							><a href="/sites/{one.siteId}?position={one.positionId}">{one.siteName}, {one.positionName}</a
							></TableBodyCell
						>
						<TableBodyCell
							>{one.appointmentAt === null
								? ''
								: momentOf(new Date(one.appointmentAt), one.timeZone)}</TableBodyCell
						>
						<TableBodyCell class="quiet">{one.customerName}</TableBodyCell>
						<TableBodyCell
							><button
								class="link"
								formaction="?/decline"
								name="unit"
								value={one.unitId}
								aria-label="Decline {one.serial}">Decline</button
							></TableBodyCell
						>
					</TableBodyRow>
				{/each}
			</TableBody>
		</Table>

		<Button type="submit" size="sm" class="mt-3" disabled={chosen.length === 0}
			>Bind {counted(chosen.length, 'unit')}</Button
		>
	</form>
{/if}

<h2 class="mt-5">Rules</h2>
{#if data.rules.length === 0}
	<p class="sheet mt-2 p-4">
		There are none{data.customerId ? ' for this customer' : ''}: new units wait until somebody binds them.
	</p>
{:else}
	<ul class="sheet mt-2" aria-label="Rules">
		{#each data.rules as rule (rule.id)}
			<li class="flex flex-wrap items-center gap-x-4 gap-y-1">
				<span
					>New <b>{rule.modelName}</b> units of {rule.customerName} fill open
					<b>{rule.roleName}</b> positions, {rule.held
						? 'once somebody has approved'
						: 'without asking'}.</span
				>
				<span class="quiet">{rule.freeUnits} free now, {rule.openPositions} open</span>
				<span class="ml-auto flex gap-3">
					{#if rule.freeUnits > 0 && rule.openPositions > 0}<form method="POST" action="?/fill" use:act>
							<input type="hidden" name="customer" value={rule.customerId} />
							<Button type="submit" size="xs" color="alternative"
								>{rule.held ? 'Propose for' : 'Bind'} what is free now</Button
							>
						</form>{/if}
					{#if mayDo('plan sites', rule.customerId)}<form method="POST" action="?/remove" use:act>
							<input type="hidden" name="rule" value={rule.id} />
							<Button type="submit" size="xs" color="alternative">Remove</Button>
						</form>{/if}
				</span>
			</li>
		{/each}
	</ul>
{/if}

{#if planned.length > 0}
	<form method="POST" action="?/save" use:act class="sheet mt-4 flex flex-wrap items-end gap-4 p-4">
		<FormField
			label="Customer"
			kind="select"
			class="w-60"
			name="customer"
			stored={data.customerId ?? planned[0]!.id}
			>{#each planned as { id, name } (id)}<option value={id}>{name}</option>{/each}</FormField
		>
		<FormField label="New units fill" kind="select" class="w-72" name="about"
			>{#each data.possible as one (`${one.modelId} ${one.roleId}`)}<option value="{one.modelId} {one.roleId}"
					>{one.roleName} positions with {one.modelName}</option
				>{/each}</FormField
		>
		<label class="flex items-center gap-2 pb-2"
			><input type="checkbox" name="held" value="yes" checked class="rounded-sm" /> Somebody approves each</label
		>
		<Button type="submit" size="sm" color="alternative">Set the rule</Button>
	</form>
{/if}
