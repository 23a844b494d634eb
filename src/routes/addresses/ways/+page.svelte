<script lang="ts">
	import { Button, TableBody, TableBodyCell, TableBodyRow, TableHead, TableHeadCell } from 'flowbite-svelte';
	import { act } from '$ui/forms';
	import { Form, FormField, PageHead, Table } from '$ui/kit';
	import { FormWords } from '$ui/people';
	import { KeyField } from '$ui/reach';

	let { data, form } = $props();
	let kind = $state('jump');
</script>

<PageHead title="Ways in">
	{#snippet acts()}<Button href="/addresses/logins" size="sm" color="alternative">Logins</Button><Button
			href="/addresses"
			size="sm"
			color="alternative">Addresses</Button
		>{/snippet}
	{#snippet about()}<span
			>Many customers have the same private addresses. A way in says how those of one are reached; the most
			specific range wins, and what is in none is reached directly.</span
		>{/snippet}
</PageHead>
<FormWords {form} />
{#if data.ways.length > 0}
	<Table classes={{ div: 'mt-3' }}>
		<TableHead>
			<TableHeadCell>Customer</TableHeadCell>
			<TableHeadCell>Way in</TableHeadCell>
			<TableHeadCell>Where</TableHeadCell>
			<TableHeadCell>For addresses</TableHeadCell>
			<TableHeadCell>Units</TableHeadCell>
			<TableHeadCell><span class="sr-only">What can be done</span></TableHeadCell>
		</TableHead>
		<TableBody>
			{#each data.ways as way (way.id)}
				<TableBodyRow>
					<TableBodyCell>{way.customerName}</TableBodyCell>
					<TableBodyCell
						>{way.name}
						<span class="quiet block"
							>{way.kind === 'jump' ? 'SSH jump host' : 'SOCKS5 proxy'}{way.isPinned
								? ', its host key is known'
								: ''}</span
						></TableBodyCell
					>
					<TableBodyCell class="mono">{way.host}:{way.port}</TableBodyCell>
					<TableBodyCell class="mono">{way.ranges.join(', ')}</TableBodyCell>
					<TableBodyCell>{way.units}</TableBodyCell>
					<TableBodyCell>
						<form method="POST" action="?/remove" use:act>
							<input type="hidden" name="way" value={way.id} />
							<Button type="submit" size="xs" color="alternative" aria-label="Remove {way.name}"
								>Remove</Button
							>
						</form>
					</TableBodyCell>
				</TableBodyRow>
			{/each}
		</TableBody>
	</Table>
{:else}<p class="mt-3">No way in was made yet: every address is reached directly.</p>{/if}

<h2 class="mt-6">Make a way in</h2>
{#key data.ways.length}<Form action="?/make" class="sheet mt-2 p-4">
		{#snippet children({ busy })}
			<div class="grid gap-4 sm:grid-cols-2 lg:grid-cols-3">
				<FormField
					label="For"
					kind="select"
					name="customer"
					items={data.mine.map(({ id, name }) => ({ value: id, name }))}
				/>
				<FormField
					label="Name"
					name="name"
					required
					maxlength={120}
					placeholder="Head office"
					autocomplete="off"
				/>
				<FormField
					label="Kind"
					kind="select"
					name="kind"
					bind:value={kind}
					items={[
						{ value: 'jump', name: 'SSH jump host' },
						{ value: 'socks5', name: 'SOCKS5 proxy' }
					]}
				/>
				<FormField label="Host" name="host" mono required maxlength={253} autocomplete="off" />
				<FormField
					label="Port"
					name="port"
					mono
					required
					maxlength={5}
					value={kind === 'jump' ? '22' : '1080'}
					autocomplete="off"
				/>
				<FormField
					label="For addresses"
					name="ranges"
					mono
					required
					maxlength={4000}
					placeholder="10.20.0.0/16, 10.30.4.0/24"
					autocomplete="off"
				/>
				<FormField
					label="User"
					name="user"
					mono
					maxlength={100}
					hint={kind === 'jump' ? undefined : 'If it asks for one.'}
					autocomplete="off"
				/>
				<FormField label="Password" name="password" kind="password" maxlength={500} autocomplete="off" />
			</div>
			{#if kind === 'jump'}<KeyField />{/if}
			<Button type="submit" size="sm" class="mt-4" disabled={busy}>Make it</Button>
		{/snippet}
	</Form>{/key}
