<script lang="ts">
	import {
		Badge,
		Button,
		TableBody,
		TableBodyCell,
		TableBodyRow,
		TableHead,
		TableHeadCell
	} from 'flowbite-svelte';
	import { onMount } from 'svelte';
	import { goto } from '$app/navigation';
	import { page } from '$app/state';
	import { counted } from '$core/text';
	import { act } from '$ui/forms';
	import { Form, FormField, PageHead, Table } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { When } from '$ui/marks';
	import { FormWords, mayDo } from '$ui/people';

	let { data, form } = $props();
	onMount(() => refreshOn(['plan']));
	const mine = $derived(data.customers.filter(({ id }) => mayDo('plan addresses', id)));
	const making = $derived(page.url.searchParams.get('make'));
	const begin = $derived(making ?? data.customerId ?? mine[0]?.id);
	type Tunnel = (typeof data.tunnels)[number];
	const isUnreachable = ({ near, far }: Tunnel) => !near.isKnownOutside && !far.isKnownOutside;
</script>

{#snippet place(end: Tunnel['near'])}
	<a href="/positions/{end.positionId}">{end.positionName}</a>
	<span class="quiet">at <a href="/sites/{end.siteId}">{end.siteName}</a></span>
	<span class="mono block text-sm">{end.address}</span>
{/snippet}

<PageHead title="Tunnels">
	{#snippet state()}<span><b>{data.tunnels.length}</b> planned</span>{/snippet}
	{#snippet acts()}
		{#if mine.length > 0}<Button href="?make={begin}" size="sm">Plan a tunnel</Button>{/if}
		<Button href="/sites/reachability" size="sm" color="alternative">Who reaches whom</Button>
		<Button href="/addresses" size="sm" color="alternative">Addresses</Button>
	{/snippet}
	{#snippet about()}<span
			>A tunnel is planned once; the configurations of both its ends come from it, with addresses and a secret
			of its own.</span
		>{/snippet}
</PageHead>
<FormWords {form} />
{#each data.wanted as one (one.patternId)}
	<form method="POST" action="?/wanted" use:act class="sheet mt-3 flex flex-wrap items-center gap-3 p-3">
		<input type="hidden" name="pattern" value={one.patternId} />
		<span
			>{counted(one.count, 'site')} of pattern
			<a href="/sites/patterns/{one.patternId}">{one.patternName}</a>
			{one.count === 1 ? 'has' : 'have'} no tunnel to {one.to} yet.</span
		>
		<Button type="submit" size="xs">Plan {counted(one.count, 'tunnel')}</Button>
	</form>
{/each}
{#if making}
	<Form action="?/plan" class="sheet mt-3 p-4">
		{#snippet children({ busy })}
			<h2>Plan a tunnel</h2>
			<div class="mt-2 grid gap-4 sm:grid-cols-3">
				<FormField
					label="Customer"
					kind="select"
					name="customer"
					value={making}
					onchange={({ currentTarget }) => void goto(`?make=${currentTarget.value}`)}
					items={mine.map(({ id, name }) => ({ value: id, name }))}
				/>
				<FormField
					label="From"
					kind="select"
					name="near"
					items={data.places.map(({ id, name }) => ({ value: id, name }))}
				/>
				<FormField
					label="To"
					kind="select"
					name="far"
					stored={data.places[1]?.id}
					items={data.places.map(({ id, name }) => ({ value: id, name }))}
				/>
			</div>
			<Button type="submit" size="sm" class="mt-4" disabled={busy}>Plan it</Button>
		{/snippet}
	</Form>
{/if}
{#if data.tunnels.length === 0}
	<p class="sheet mt-4 p-6">
		No tunnel is planned yet. Plan one here, or let a <a href="/sites/patterns">pattern</a> say where the tunnels
		of its sites lead.
	</p>
{:else}
	<Table classes={{ div: 'mt-4' }}>
		<TableHead>
			<TableHeadCell>Tunnel</TableHeadCell>
			<TableHeadCell>Customer</TableHeadCell>
			<TableHeadCell>From</TableHeadCell>
			<TableHeadCell>To</TableHeadCell>
			<TableHeadCell>Secret since</TableHeadCell>
			<TableHeadCell><span class="sr-only">What can be done</span></TableHeadCell>
		</TableHead>
		<TableBody>
			{#each data.tunnels as one (one.id)}
				<TableBodyRow id={one.name}>
					<TableBodyCell
						><span class="mono font-semibold">{one.name}</span>
						{#if isUnreachable(one)}<Badge
								color="yellow"
								title="Give one of its ends a value for “outside_address”: where it is reached from outside."
								>no end can be dialled</Badge
							>{/if}</TableBodyCell
					>
					<TableBodyCell>{one.customerName}</TableBodyCell>
					<TableBodyCell>{@render place(one.near)}</TableBodyCell>
					<TableBodyCell>{@render place(one.far)}</TableBodyCell>
					<TableBodyCell class="quiet"
						>{#if one.renewedAt}<When at={one.renewedAt} />{/if}</TableBodyCell
					>
					<TableBodyCell
						>{#if mayDo('plan addresses', one.customerId)}
							<div class="flex gap-2">
								<form method="POST" action={one.runs ? '/upkeep/secrets?/renew' : '?/renew'} use:act>
									<input type="hidden" name="tunnel" value={one.id} />
									<input type="hidden" name="secret" value={one.secretId} />
									<Button type="submit" size="xs" color="alternative" aria-label="New secret for {one.name}"
										>New secret</Button
									>
								</form>
								<form method="POST" action="?/remove" use:act>
									<input type="hidden" name="tunnel" value={one.id} />
									<Button type="submit" size="xs" color="alternative" aria-label="Remove {one.name}"
										>Remove</Button
									>
								</form>
							</div>
						{/if}</TableBodyCell
					>
				</TableBodyRow>
			{/each}
		</TableBody>
	</Table>
{/if}
