<script lang="ts">
	import { FormField, MenuLink, PageHead, Table } from '$ui/kit';
	import { counted } from '$core/text';
	import {
		Button,
		Checkbox,
		TableBody,
		TableBodyCell,
		TableBodyRow,
		TableHead,
		TableHeadCell
	} from 'flowbite-svelte';
	import { act } from '$ui/forms';
	import { page } from '$app/state';
	import { DUTIES, DUTY_WORDS } from '$core/people';
	import { When } from '$ui/marks';
	import { FormWords, RecordsOf, Sessions } from '$ui/people';

	let { data, form } = $props();
	const chosenId = $derived(page.url.searchParams.get('person'));
	const chosen = $derived(data.people.find(({ id }) => id === chosenId) ?? null);
	const making = $derived(page.url.searchParams.get('make'));
	const token = $derived(form && 'token' in form ? (form.token as string) : null);
	const nameOf = (id: string) => data.customers.find((customer) => customer.id === id)?.name ?? id;
</script>

{#snippet dutyFields(person: { administrator: boolean; duties: Readonly<Record<string, string>> } | null)}
	<Checkbox name="administrator" checked={person?.administrator ?? false} classes={{ div: 'mt-3' }}
		><b>Administrator</b>
		<span class="quiet">has every right at every customer</span></Checkbox
	>
	{#each data.customers as customer (customer.id)}
		<FormField
			label={customer.name}
			kind="select"
			class="mt-3"
			name="duty:{customer.id}"
			stored={person?.duties[customer.id] ?? ''}
			none="no duty"
			items={DUTIES.map((duty) => ({ value: duty, name: `${duty}: ${DUTY_WORDS[duty]}` }))}
		/>
	{/each}
{/snippet}

<PageHead title="People">
	{#snippet acts()}
		<Button href="?make=invitation" size="sm">Invite somebody</Button>
		<Button href="?make=customer" size="sm" color="alternative">Take on a customer</Button>
		<Button href="?make=token" size="sm" color="alternative">Make a service token</Button>
	{/snippet}
	{#snippet more()}<MenuLink href="/signing">Signing keys</MenuLink><MenuLink href="/people/walls"
			>Wall screens</MenuLink
		><MenuLink href="/people/webhooks">Webhooks</MenuLink><MenuLink href="/people/groups"
			>Groups of the firm</MenuLink
		>{/snippet}
</PageHead>
<FormWords {form} />
{#if token}<p class="sheet mono mt-3 p-4 break-all" data-token>{token}</p>{/if}
<div class="two mt-4">
	<div>
		<Table>
			<TableHead
				><TableHeadCell>Name</TableHeadCell><TableHeadCell class="wide">E-mail</TableHeadCell><TableHeadCell
					>What for</TableHeadCell
				><TableHeadCell>Signed in</TableHeadCell></TableHead
			>
			<TableBody>
				{#each data.people as person (person.id)}
					<TableBodyRow class={[person.id === chosenId && 'chosen']}
						><TableBodyCell
							><a href="?person={person.id}" data-sveltekit-noscroll>{person.name}</a></TableBodyCell
						><TableBodyCell class="wide quiet">{person.email}</TableBodyCell><TableBodyCell
							>{#if person.disabledAt}<b>shut out</b>{:else if person.administrator}administrator{:else}{[
									...new Set(Object.values(person.duties))
								].join(', ') || 'nothing yet'}
								<span class="quiet"
									>at {Object.keys(person.duties).length} of {data.customers.length} customers</span
								>{/if}</TableBodyCell
						><TableBodyCell class="quiet"
							>{person.sessions === 0 ? '–' : `${counted(person.sessions, 'session')}`}</TableBodyCell
						></TableBodyRow
					>
				{/each}
			</TableBody>
		</Table>

		<h2 class="mt-6">Service tokens</h2>
		{#if data.tokens.length === 0}<p class="sheet mt-2 p-5">
				No program has access. <a href="?make=token">Make a token</a> for one that takes units in or follows runs.
			</p>{:else}
			<Table classes={{ div: 'mt-2' }}>
				<TableHead
					><TableHeadCell>Name</TableHeadCell><TableHeadCell>May</TableHeadCell><TableHeadCell
						>For</TableHeadCell
					><TableHeadCell>Last use</TableHeadCell><TableHeadCell>Ends</TableHeadCell><TableHeadCell
					></TableHeadCell></TableHead
				>
				<TableBody>
					{#each data.tokens as one (one.id)}
						<TableBodyRow
							><TableBodyCell
								>{one.name}
								<div class="text-sm"><RecordsOf what="it" id={one.id} /></div></TableBodyCell
							><TableBodyCell>{one.acts.join(', ')}</TableBodyCell><TableBodyCell class="quiet"
								>{one.customers.map(nameOf).join(', ')}</TableBodyCell
							><TableBodyCell class="quiet"
								><When at={one.lastUsedAt} />{#if one.lastAddress}, <span class="mono">{one.lastAddress}</span
									>{/if}</TableBodyCell
							><TableBodyCell class="quiet"
								>{#if one.revokedAt}revoked{:else}<When at={one.endsAt} />{/if}</TableBodyCell
							><TableBodyCell
								>{#if !one.revokedAt}<form method="POST" action="?/revoke" use:act>
										<input type="hidden" name="token" value={one.id} /><Button
											type="submit"
											size="xs"
											color="alternative">Revoke</Button
										>
									</form>{/if}</TableBodyCell
							></TableBodyRow
						>
					{/each}
				</TableBody>
			</Table>
		{/if}
	</div>
	<aside>
		{#if making === 'customer'}
			<form method="POST" action="?/customer&make=customer" use:act class="sheet p-4">
				<h2>Take on a customer</h2>

				<FormField
					label="Name"
					class="mt-2"
					id="customer-name"
					name="name"
					required
					maxlength={120}
					autocomplete="off"
				/>
				<p class="quiet mt-2">
					Its people and sites come afterwards: nobody sees it before they have a duty for it.
				</p>
				<Button type="submit" size="sm" class="mt-3">Take it on</Button>
			</form>
		{:else if making === 'invitation'}
			<form method="POST" action="?/invite&make=invitation" use:act class="sheet p-4">
				<h2>Invite somebody</h2>

				<FormField
					label="Name"
					class="mt-2"
					id="name"
					name="name"
					required
					maxlength={80}
					autocomplete="off"
				/>

				<FormField
					label="E-mail address"
					kind="email"
					class="mt-3"
					id="email"
					name="email"
					required
					maxlength={254}
					autocomplete="off"
				/>
				{@render dutyFields(null)}
				<Button type="submit" class="mt-4">Send invitation</Button>
			</form>
		{:else if making === 'token'}
			<form method="POST" action="?/token&make=token" use:act class="sheet p-4">
				<h2>Make a service token</h2>

				<FormField
					label="What for"
					class="mt-2"
					id="token-name"
					name="name"
					required
					maxlength={80}
					autocomplete="off"
				/>
				<fieldset class="mt-3">
					<legend class="font-semibold">It may</legend>
					{#each data.tokenActs as act (act)}<Checkbox
							name="act"
							value={act}
							checked={act === 'see'}
							classes={{ div: 'mr-4 inline-flex' }}>{act}</Checkbox
						>{/each}
				</fieldset>
				<fieldset class="mt-3">
					<legend class="font-semibold">For</legend>
					{#each data.customers as customer (customer.id)}<Checkbox name="customer" value={customer.id}
							>{customer.name}</Checkbox
						>{/each}
				</fieldset>

				<FormField
					label="Good for so many days"
					class="mt-3"
					id="days"
					name="days"
					required
					inputmode="numeric"
					value="90"
				/>
				<Button type="submit" class="mt-4">Make token</Button>
			</form>
		{:else if chosen}
			<form
				method="POST"
				action="?/duties&person={chosen.id}"
				use:act={() =>
					async ({ update }) =>
						update({ reset: false })}
				class="sheet p-4"
			>
				<h2>{chosen.name}</h2>
				<input type="hidden" name="person" value={chosen.id} />
				{#key chosen.id}{@render dutyFields(chosen)}{/key}
				<div class="mt-4 flex flex-wrap gap-3">
					<Button type="submit" size="sm">Set duties</Button>
					{#if !chosen.disabledAt}<Button
							type="submit"
							formaction="?/link&person={chosen.id}"
							size="sm"
							color="alternative">Send a link for a new password</Button
						>{/if}
					{#if chosen.codes && chosen.id !== page.data.person?.id}<Button
							type="submit"
							formaction="?/codes&person={chosen.id}"
							size="sm"
							color="alternative">Turn off one-time codes</Button
						>{/if}
					{#if chosen.id !== page.data.person?.id}<Button
							type="submit"
							formaction="?/{chosen.disabledAt ? 'in' : 'out'}&person={chosen.id}"
							size="sm"
							color="alternative">{chosen.disabledAt ? 'Let in again' : 'Shut out'}</Button
						>{/if}
				</div>
			</form>
			<h2 class="mt-5">Where {chosen.name} is signed in</h2>
			<Sessions sessions={data.sessions} action="?/end&person={chosen.id}" />
			<p class="mt-3"><RecordsOf what={chosen.name} id={chosen.id} /></p>
		{:else}
			<p class="quiet">Choose somebody to see and set what they may do.</p>
		{/if}
	</aside>
</div>

<style>
	.two {
		--columns: minmax(0, 1fr) minmax(0, 27rem);
	}
	:global(tr.chosen) {
		background: var(--chosen);
	}
	@media (max-width: 900px) {
		:global(.wide) {
			display: none;
		}
	}
</style>
