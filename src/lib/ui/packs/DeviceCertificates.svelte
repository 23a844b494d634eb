<script lang="ts">
	import { Button, TableBody, TableBodyCell, TableBodyRow, TableHead, TableHeadCell } from 'flowbite-svelte';
	import { counted, dayOf } from '$core/text';
	import { act } from '$ui/forms';
	import { FormField, Table } from '$ui/kit';
	import { When } from '$ui/marks';
	import { mayDo } from '$ui/people';

	/** By whose certificates a maker's units say who they are, which count no more, and which customers want them. */
	let {
		authorities,
		lists,
		demands
	}: {
		authorities: readonly {
			readonly subject: string;
			readonly issuer: string;
			readonly fingerprint: string;
			readonly until: Date;
		}[];
		lists: readonly {
			readonly issuer: string;
			readonly number: string | null;
			readonly madeAt: Date;
			readonly nextBy: Date | null;
			readonly loadedBy: string;
			readonly revoked: number;
		}[];
		demands: readonly {
			readonly customerId: string;
			readonly name: string;
			readonly units: number;
			readonly since: Date | null;
			readonly setBy: string | null;
		}[];
	} = $props();
	const listOf = (issuer: string) => lists.find((list) => list.issuer === issuer);
</script>

<h2 class="mt-6">Device certificates</h2>
{#if authorities.length === 0}
	<p class="quiet mt-1">
		The pack names nobody who signs device certificates, so its units say who they are by their claim codes.
	</p>
{:else}
	<p class="mt-1 max-w-[70ch]">
		A unit that shows a certificate signed by one of these is known to be the one with its serial number.
	</p>
	<div class="mt-2">
		<Table label="Who signs device certificates">
			<TableHead
				><TableHeadCell>Signed by</TableHeadCell><TableHeadCell>Good until</TableHeadCell><TableHeadCell
					>Revocation list</TableHeadCell
				></TableHead
			>
			<TableBody>
				{#each authorities as authority (authority.fingerprint)}
					{@const list = listOf(authority.issuer)}
					<TableBodyRow>
						<TableBodyCell
							><span class="font-semibold">{authority.subject}</span>
							<div class="mono quiet text-sm break-all whitespace-normal">
								{authority.fingerprint}
							</div></TableBodyCell
						>
						<TableBodyCell class="whitespace-nowrap"
							>{dayOf(authority.until, undefined, new Date())}</TableBodyCell
						>
						<TableBodyCell
							>{#if list}{counted(list.revoked, 'certificate')} revoked, made <When at={list.madeAt} />
								{#if list.nextBy && list.nextBy < new Date()}<div class="text-[var(--brick)]">
										A newer one was due <When at={list.nextBy} />; this one is used until it is loaded.
									</div>{/if}{:else}<span class="quiet">none was loaded</span>{/if}</TableBodyCell
						>
					</TableBodyRow>
				{/each}
			</TableBody>
		</Table>
	</div>
	{#if mayDo('edit profiles')}
		<form
			method="POST"
			action="?/revoke"
			enctype="multipart/form-data"
			use:act
			class="mt-3 flex flex-wrap items-end gap-3"
		>
			<FormField label="A revocation list of the maker’s (PEM or DER)" name="list" kind="file" required />
			<Button type="submit" size="sm" color="alternative">Load it</Button>
		</form>
	{/if}
	<h3 class="mt-5 font-semibold">Who wants them</h3>
	{#if demands.length === 0}<p class="quiet mt-1">No customer has units of this maker yet.</p>{:else}
		<div class="mt-2">
			<Table label="Which customers want them">
				<TableHead
					><TableHeadCell>Customer</TableHeadCell><TableHeadCell>Units</TableHeadCell><TableHeadCell
						>A claim code alone</TableHeadCell
					><TableHeadCell><span class="sr-only">Do</span></TableHeadCell></TableHead
				>
				<TableBody>
					{#each demands as demand (demand.customerId)}
						<TableBodyRow data-customer={demand.name}>
							<TableBodyCell>{demand.name}</TableBodyCell>
							<TableBodyCell>{demand.units}</TableBodyCell>
							<TableBodyCell
								>{#if demand.since}is refused <span class="quiet"
										>since <When at={demand.since} />, by {demand.setBy}</span
									>{:else}will do{/if}</TableBodyCell
							>
							<TableBodyCell
								>{#if mayDo('edit profiles', demand.customerId)}<form method="POST" action="?/want" use:act>
										<input type="hidden" name="customer" value={demand.customerId} />
										<input type="hidden" name="wanted" value={demand.since ? 'no' : 'yes'} />
										<Button type="submit" size="xs" color="alternative"
											>{demand.since ? 'Let claim codes do' : 'Want certificates'}<span class="sr-only">
												for {demand.name}</span
											></Button
										>
									</form>{/if}</TableBodyCell
							>
						</TableBodyRow>
					{/each}
				</TableBody>
			</Table>
		</div>
	{/if}
{/if}
