<script lang="ts">
	import { counted } from '$core/text';
	import { Button } from 'flowbite-svelte';
	import { enhance } from '$app/forms';
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
	<label class="mt-3 flex items-center gap-2"
		><input type="checkbox" name="administrator" checked={person?.administrator ?? false} />
		<b>Administrator</b>
		<span class="quiet">has every right at every customer</span></label
	>
	{#each data.customers as customer (customer.id)}
		<label class="mt-3 block"
			><span class="font-semibold">{customer.name}</span>
			<select name="duty:{customer.id}" class="field">
				<option value="">no duty</option>
				{#each DUTIES as duty (duty)}<option value={duty} selected={person?.duties[customer.id] === duty}
						>{duty}: {DUTY_WORDS[duty]}</option
					>{/each}
			</select></label
		>
	{/each}
{/snippet}

<svelte:head><title>People · Limen</title></svelte:head>
<div class="flex flex-wrap items-baseline gap-5">
	<h1>People</h1>
	<a href="?make=invitation">Invite somebody</a>
	<a href="?make=token">Make a service token</a>
	<a href="?make=customer">Take on a customer</a>
</div>
<FormWords {form} />
{#if token}<p class="sheet mono mt-3 p-4 break-all" data-token>{token}</p>{/if}
<div class="two mt-4">
	<div>
		<div class="sheet overflow-auto">
			<table class="work-table">
				<thead><tr><th>Name</th><th class="wide">E-mail</th><th>What for</th><th>Signed in</th></tr></thead>
				<tbody>
					{#each data.people as person (person.id)}
						<tr class:chosen={person.id === chosenId}
							><td><a href="?person={person.id}" data-sveltekit-noscroll>{person.name}</a></td><td
								class="wide quiet">{person.email}</td
							><td
								>{#if person.disabledAt}<b>shut out</b>{:else if person.administrator}administrator{:else}{[
										...new Set(Object.values(person.duties))
									].join(', ') || 'nothing yet'}
									<span class="quiet"
										>at {Object.keys(person.duties).length} of {data.customers.length} customers</span
									>{/if}</td
							><td class="quiet">{person.sessions === 0 ? '–' : `${counted(person.sessions, 'session')}`}</td
							></tr
						>
					{/each}
				</tbody>
			</table>
		</div>
		<h2 class="mt-6">Service tokens</h2>
		{#if data.tokens.length === 0}<p class="sheet mt-2 p-5">
				No program has access. <a href="?make=token">Make a token</a> for one that takes units in or follows runs.
			</p>{:else}
			<div class="sheet mt-2 overflow-auto">
				<table class="work-table">
					<thead><tr><th>Name</th><th>May</th><th>For</th><th>Last use</th><th>Ends</th><th></th></tr></thead>
					<tbody>
						{#each data.tokens as one (one.id)}
							<tr
								><td
									>{one.name}
									<div class="text-sm"><RecordsOf what="it" id={one.id} /></div></td
								><td>{one.acts.join(', ')}</td><td class="quiet">{one.customers.map(nameOf).join(', ')}</td
								><td class="quiet"
									><When at={one.lastUsedAt} />{#if one.lastAddress}, <span class="mono"
											>{one.lastAddress}</span
										>{/if}</td
								><td class="quiet"
									>{#if one.revokedAt}revoked{:else}<When at={one.endsAt} />{/if}</td
								><td
									>{#if !one.revokedAt}<form method="POST" action="?/revoke" use:enhance>
											<input type="hidden" name="token" value={one.id} /><Button
												type="submit"
												size="xs"
												color="alternative">Revoke</Button
											>
										</form>{/if}</td
								></tr
							>
						{/each}
					</tbody>
				</table>
			</div>
		{/if}
	</div>
	<aside>
		{#if making === 'customer'}
			<form method="POST" action="?/customer&make=customer" use:enhance class="sheet p-4">
				<h2>Take on a customer</h2>
				<label class="mt-2 block font-semibold" for="customer-name">Name</label>
				<input id="customer-name" name="name" required maxlength="120" class="field" autocomplete="off" />
				<p class="quiet mt-2">
					Its people and sites come afterwards: nobody sees it before they have a duty for it.
				</p>
				<Button type="submit" size="sm" class="mt-3">Take it on</Button>
			</form>
		{:else if making === 'invitation'}
			<form method="POST" action="?/invite&make=invitation" use:enhance class="sheet p-4">
				<h2>Invite somebody</h2>
				<label class="mt-2 block font-semibold" for="name">Name</label>
				<input id="name" name="name" required maxlength="80" class="field" autocomplete="off" />
				<label class="mt-3 block font-semibold" for="email">E-mail address</label>
				<input
					id="email"
					name="email"
					type="email"
					required
					maxlength="254"
					class="field"
					autocomplete="off"
				/>
				{@render dutyFields(null)}
				<Button type="submit" class="mt-4">Send invitation</Button>
			</form>
		{:else if making === 'token'}
			<form method="POST" action="?/token&make=token" use:enhance class="sheet p-4">
				<h2>Make a service token</h2>
				<label class="mt-2 block font-semibold" for="token-name">What for</label>
				<input id="token-name" name="name" required maxlength="80" class="field" autocomplete="off" />
				<fieldset class="mt-3">
					<legend class="font-semibold">It may</legend>
					{#each data.tokenActs as act (act)}<label class="mr-4 inline-flex items-center gap-2"
							><input type="checkbox" name="act:{act}" checked={act === 'see'} /> {act}</label
						>{/each}
				</fieldset>
				<fieldset class="mt-3">
					<legend class="font-semibold">For</legend>
					{#each data.customers as customer (customer.id)}<label class="flex items-center gap-2"
							><input type="checkbox" name="customer:{customer.id}" /> {customer.name}</label
						>{/each}
				</fieldset>
				<label class="mt-3 block font-semibold" for="days">Good for so many days</label>
				<input id="days" name="days" required inputmode="numeric" value="90" class="field" />
				<Button type="submit" class="mt-4">Make token</Button>
			</form>
		{:else if chosen}
			<form
				method="POST"
				action="?/duties&person={chosen.id}"
				use:enhance={() =>
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
		display: grid;
		grid-template-columns: minmax(0, 1fr) minmax(0, 27rem);
		gap: 2rem;
		align-items: start;
	}
	tr.chosen {
		background: var(--chosen);
	}
	@media (max-width: 900px) {
		.two {
			grid-template-columns: minmax(0, 1fr);
		}
		.wide {
			display: none;
		}
	}
</style>
