<script lang="ts">
	import { onMount } from 'svelte';
	import { Button, TableBody, TableBodyCell, TableBodyRow, TableHead, TableHeadCell } from 'flowbite-svelte';
	import type { TryOutcome } from '$core/login';
	import { act } from '$ui/forms';
	import { Form, FormField, PageHead, Table } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { Standing, When } from '$ui/marks';
	import { FormWords } from '$ui/people';
	import { KeyField } from '$ui/reach';

	let { data, form } = $props();
	onMount(() => refreshOn(['work'], { rest: 500 }));
	const customers = $derived(data.mine.map(({ id, name }) => ({ value: id, name })));
	const STANDING: Readonly<Record<TryOutcome, 'through' | 'stuck' | 'not-heard' | 'waiting'>> = {
		in: 'through',
		unreachable: 'not-heard',
		'port closed': 'not-heard',
		'no ssh': 'stuck',
		'host key': 'stuck',
		login: 'stuck',
		'held back': 'waiting',
		privilege: 'stuck',
		prompt: 'stuck'
	};
	const SAID: Readonly<Record<TryOutcome, string>> = {
		in: 'lets in',
		unreachable: 'nobody answers',
		'port closed': 'port closed',
		'no ssh': 'no SSH',
		'host key': 'another host key',
		login: 'login refused',
		'held back': 'not tried again yet',
		privilege: 'privileges refused',
		prompt: 'prompt not understood'
	};
</script>

<PageHead title="Logins">
	{#snippet acts()}<Button href="/addresses/surveys" size="sm" color="alternative">Surveys</Button><Button
			href="/addresses/ways"
			size="sm"
			color="alternative">Ways in</Button
		><Button href="/addresses" size="sm" color="alternative">Addresses</Button>{/snippet}
	{#snippet about()}<span
			>How units of a customer are logged in to, by the ranges of its addresses: the most specific wins. Kept
			sealed; whoever uses one cannot read it.</span
		>{/snippet}
</PageHead>
<FormWords {form} />
{#if data.logins.length > 0}
	<Table classes={{ div: 'mt-3' }}>
		<TableHead>
			<TableHeadCell>Customer</TableHeadCell><TableHeadCell>Login</TableHeadCell><TableHeadCell
				>For addresses</TableHeadCell
			><TableHeadCell>Models</TableHeadCell><TableHeadCell>Order</TableHeadCell><TableHeadCell
				>Units</TableHeadCell
			><TableHeadCell><span class="sr-only">What can be done</span></TableHeadCell>
		</TableHead>
		<TableBody>
			{#each data.logins as login (login.id)}
				<TableBodyRow
					><TableBodyCell>{login.customerName}</TableBodyCell><TableBodyCell
						><b>{login.name}</b><span class="quiet block"
							>as <span class="mono">{login.user}</span>, kept by {login.byWhom}
							<When at={login.changedAt} /></span
						></TableBodyCell
					><TableBodyCell class="mono"
						>{login.ranges.join(', ')}{login.port === 22 ? '' : `, port ${login.port}`}</TableBodyCell
					><TableBodyCell>{login.models.join(', ') || 'all'}</TableBodyCell><TableBodyCell
						>{login.ordinal}</TableBodyCell
					><TableBodyCell>{login.units}</TableBodyCell><TableBodyCell
						><form method="POST" action="?/drop" use:act>
							<input type="hidden" name="login" value={login.id} />
							<Button type="submit" size="xs" color="alternative" aria-label="Forget {login.name}"
								>Forget</Button
							>
						</form></TableBodyCell
					></TableBodyRow
				>
			{/each}
		</TableBody>
	</Table>
{:else}<p class="sheet mt-3 p-5">
		No login is kept yet: each unit that is reached at an address has one of its own.
	</p>{/if}

{#if data.logins.length > 0}<div class="mt-6 grid gap-6 lg:grid-cols-2">
		<form class="sheet p-4" method="GET" aria-label="Which login an address uses">
			<h2>Which login would an address use?</h2>
			<div class="mt-2 grid gap-4 sm:grid-cols-3">
				<FormField
					label="Of"
					kind="select"
					name="customer"
					items={customers}
					stored={data.asked?.customer ?? customers[0]?.value}
				/>
				<FormField
					label="Address"
					name="address"
					mono
					required
					maxlength={60}
					stored={data.asked?.address ?? ''}
					autocomplete="off"
				/>
				<FormField
					label="Model"
					kind="select"
					name="model"
					items={data.models}
					none="not known"
					stored={data.asked?.model ?? ''}
				/>
			</div>
			<Button type="submit" size="sm" color="alternative" class="mt-3">Ask</Button>
			{#if data.asked}<p class="mt-3" role="status">{data.asked.words}</p>{/if}
		</form>
		<Form action="?/try" casual class="sheet p-4">
			{#snippet children({ busy })}
				<h2>Try them</h2>
				<div class="mt-2 grid gap-4 sm:grid-cols-2">
					<FormField label="Of" kind="select" name="customer" items={customers} />
					<FormField
						label="Port"
						name="port"
						mono
						maxlength={5}
						placeholder="that of the login"
						autocomplete="off"
					/>
				</div>
				<FormField
					class="mt-3"
					label="Addresses"
					name="addresses"
					kind="lines"
					rows={2}
					mono
					required
					placeholder="10.40.41.1"
				/>
				<p class="quiet mt-1">
					Each with the login that it would use; which part is wrong is told. An address that refused three
					times within an hour is left alone.
				</p>
				<Button type="submit" size="sm" color="alternative" class="mt-2" disabled={busy}>Try them</Button>
			{/snippet}
		</Form>
	</div>{/if}

{#if data.tries.length > 0}
	<h2 class="mt-6">What came of the last tries</h2>
	<Table classes={{ div: 'mt-2' }}>
		<TableHead
			><TableHeadCell>Address</TableHeadCell><TableHeadCell>Login</TableHeadCell><TableHeadCell
				>What came of it</TableHeadCell
			><TableHeadCell>When</TableHeadCell></TableHead
		>
		<TableBody>
			{#each data.tries as one (`${one.customerId} ${one.address} ${one.port}`)}
				<TableBodyRow data-address={one.address}
					><TableBodyCell
						><span class="mono">{one.address}:{one.port}</span><span class="quiet block"
							>{one.customerName}</span
						></TableBodyCell
					><TableBodyCell>{one.login}</TableBodyCell><TableBodyCell
						><Standing standing={STANDING[one.outcome]} word={SAID[one.outcome]} /><span class="quiet block"
							>{one.words}</span
						></TableBodyCell
					><TableBodyCell><When at={one.at} /></TableBodyCell></TableBodyRow
				>
			{/each}
		</TableBody>
	</Table>
{/if}

<h2 class="mt-6">Keep a login</h2>
{#key data.logins.length}<Form action="?/keep" class="sheet mt-2 p-4">
		{#snippet children({ busy })}
			<div class="grid gap-4 sm:grid-cols-2 lg:grid-cols-3">
				<FormField label="Of" kind="select" name="customer" items={customers} />
				<FormField
					label="Name"
					name="name"
					required
					maxlength={120}
					hint="One of the same name takes the place of the one before."
					autocomplete="off"
				/>
				<FormField
					label="For addresses"
					name="ranges"
					mono
					required
					maxlength={4000}
					placeholder="10.40.0.0/16, 10.41.4.0/24"
					autocomplete="off"
				/>
				<FormField label="User" name="user" mono required maxlength={100} autocomplete="off" />
				<FormField label="Port" name="port" mono required maxlength={5} value="22" autocomplete="off" />
				<FormField label="Password" name="password" kind="password" maxlength={500} autocomplete="off" />
				<FormField
					label="Password that raises privileges"
					name="privileges"
					kind="password"
					maxlength={500}
					hint="If their command line asks for one."
					autocomplete="off"
				/>
				<FormField
					label="Only for the model"
					name="models"
					kind="select"
					items={data.models}
					none="all models"
				/>
				<FormField label="Order among equals" name="ordinal" kind="number" min="0" max="1000" value="0" />
			</div>
			<KeyField />
			<Button type="submit" size="sm" class="mt-4" disabled={busy}>Keep it</Button>
		{/snippet}
	</Form>{/key}
