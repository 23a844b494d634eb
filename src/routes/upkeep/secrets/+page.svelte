<script lang="ts">
	import { onMount } from 'svelte';
	import {
		Button,
		Checkbox,
		TableBody,
		TableBodyCell,
		TableBodyRow,
		TableHead,
		TableHeadCell
	} from 'flowbite-svelte';
	import { page } from '$app/state';
	import { counted } from '$core/text';
	import { UpkeepRooms } from '$ui/drift';
	import { act } from '$ui/forms';
	import { Form, FormField, Menu, MenuLink, PageHead, Table } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { Standing, When } from '$ui/marks';
	import { FormWords, mayDo } from '$ui/people';

	let { data, form } = $props();
	onMount(() => refreshOn(['plan', 'sends'], { rest: 1000 }));
	type Secret = (typeof data.secrets)[number];

	let chosen = $state<string[]>([]);
	let dueOnly = $state(false);
	const isOurs = (one: Secret) => !one.isGiven && !one.isUnderWay && mayDo('send', one.customerId);
	const due = $derived(data.secrets.filter(({ standing }) => standing === 'due'));
	const renewable = $derived(due.filter(isOurs).length);
	const unproved = $derived(data.secrets.filter(({ keepsOld }) => keepsOld).length);
	const shown = $derived(dueOnly ? due : data.secrets);
	const customers = $derived(
		(page.data.customers as readonly { id: string; name: string }[]).filter(({ id }) =>
			mayDo('set values', id)
		)
	);
	const fields = $derived([
		...new Set(data.secrets.flatMap(({ kind, name }) => (kind === 'field' ? [name] : [])))
	]);
	const aboutWords = (about: string) =>
		about === '' ? 'all' : about === 'tunnels' ? 'tunnels' : about.slice('field '.length);
</script>

<PageHead title="Secrets">
	{#snippet state()}
		<span class="flex flex-wrap items-baseline gap-x-4">
			{#if due.length > 0}<Standing standing="late" word="{due.length} to be renewed" />{/if}
			{#if unproved > 0}<Standing standing="moving" word="{unproved} not proved yet" />{/if}
			{#if due.length + unproved === 0}<Standing standing="through" word="none to be renewed" />{/if}
		</span>
	{/snippet}
	{#snippet acts()}
		{#if renewable > 0}<form method="POST" action="?/due" use:act class="contents">
				<Button type="submit" size="sm">Renew the {renewable} that are due</Button>
			</form>{/if}
		<Menu label="Download">
			<MenuLink href="/upkeep/secrets/file?as=csv" download>As CSV</MenuLink>
			<MenuLink href="/upkeep/secrets/file?as=xlsx" download>As XLSX</MenuLink>
		</Menu>
	{/snippet}
	{#snippet about()}<UpkeepRooms /><a href="#rules-title" class="ml-auto">How old they may become</a
		>{/snippet}
</PageHead>
<FormWords {form} />

{#if data.key}
	{@const key = data.key}
	<section class="sheet mt-4 p-4" aria-labelledby="key-title">
		<h2 id="key-title">The key that Limen logs in with</h2>
		<p class="mt-1">
			<span class="mono break-all">{key.fingerprint}</span>
			{#if key.older.length === 0}is the only one. {counted(key.trust, 'unit')}
				{key.trust === 1 ? 'lets' : 'let'} it in.{:else}is new: {counted(key.trust, 'unit')}
				{key.trust === 1 ? 'lets' : 'let'} it in, {key.trustOlder} still only
				<span class="mono break-all">{key.older.join(', ')}</span>. That one is destroyed once no unit needs
				it.{/if}
		</p>
		<div class="mt-3 flex flex-wrap gap-2">
			{#if key.older.length === 0}<form method="POST" action="?/newKey" use:act>
					<input type="hidden" name="key" value={key.fingerprint} />
					<Button type="submit" size="sm" color="alternative">Make a new key</Button>
				</form>
			{:else if key.trustOlder > 0}<form method="POST" action="?/bringToKey" use:act>
					<input type="hidden" name="key" value={key.fingerprint} />
					<Button type="submit" size="sm">Bring {counted(key.trustOlder, 'unit')} to the new key</Button>
				</form>{/if}
		</div>
	</section>
{/if}

{#if data.secrets.length === 0}
	<p class="sheet mt-4 p-6">
		No secret is given yet. Those of <a href="/addresses/tunnels">tunnels</a> are made with them; others are values
		of a profile’s fields.
	</p>
{:else}
	<form method="POST" action="?/renew" use:act class="mt-4">
		<div class="flex flex-wrap items-center gap-x-4 gap-y-2">
			<Checkbox bind:checked={dueOnly}>Only those to be renewed</Checkbox>
			{#if mayDo('send')}<Button type="submit" size="sm" color="alternative" disabled={chosen.length === 0}
					>{chosen.length === 0
						? 'Choose some to renew'
						: `Renew ${counted(chosen.length, 'secret')}`}</Button
				>{/if}
			{#if data.isCut}<span class="quiet"
					>Only the {data.secrets.length.toLocaleString('en')} that come first; choose a customer to see its own.</span
				>{/if}
		</div>
		<Table classes={{ div: 'mt-2' }}>
			<TableHead>
				<TableHeadCell>Secret</TableHeadCell>
				<TableHeadCell>Where</TableHeadCell>
				<TableHeadCell>Since</TableHeadCell>
				<TableHeadCell>To be renewed</TableHeadCell>
				<TableHeadCell>Proved</TableHeadCell>
				<TableHeadCell>Seen in the clear</TableHeadCell>
			</TableHead>
			<TableBody>
				{#each shown as one (one.id)}
					<TableBodyRow data-secret={one.name}>
						<TableBodyCell class="align-top"
							>{#if isOurs(one)}<Checkbox
									name="secret"
									value={one.id}
									checked={chosen.includes(one.id)}
									onchange={({ currentTarget: { checked } }) =>
										(chosen = checked ? [...chosen, one.id] : chosen.filter((id) => id !== one.id))}
									aria-label="Choose {one.name} at {one.place}"
									class="inline-flex"><span class="mono font-semibold">{one.name}</span></Checkbox
								>{:else}<span class="mono ps-[1.65rem] font-semibold">{one.name}</span>{/if}
							{#if one.kind === 'tunnel'}<div class="quiet ps-[1.65rem]">tunnel</div>
							{:else if one.isGiven}<div class="quiet ps-[1.65rem]">
									from somebody else
								</div>{/if}</TableBodyCell
						>
						<TableBodyCell class="align-top"
							>{#if one.siteId}<a href="/sites/{one.siteId}">{one.place}</a>{:else}all sites{/if}
							<div class="quiet">{one.customer}</div></TableBodyCell
						>
						<TableBodyCell class="align-top"
							>{#if one.since}<When at={one.since} />{:else}not known{/if}
							<div class="quiet">
								{one.isMade ? 'made by Limen' : one.byWhom ? `typed by ${one.byWhom}` : 'given'}
							</div></TableBodyCell
						>
						<TableBodyCell class="align-top"
							>{#if one.isUnderWay}<Standing standing="moving" word="being renewed" />
							{:else if one.standing === 'due'}<Standing standing="late" word="now" />
							{:else if one.due}<When at={one.due} />{:else}<span class="quiet">no rule</span
								>{/if}</TableBodyCell
						>
						<TableBodyCell class="align-top"
							>{#if one.provedAt}<span title={one.proof}><When at={one.provedAt} /></span>
								<div class="quiet max-w-72">{one.proof}</div>{:else if one.keepsOld}not yet
								<div class="quiet">the one before is kept</div>{:else}<span class="quiet">never</span
								>{/if}</TableBodyCell
						>
						<TableBodyCell class="align-top"
							>{#each one.seen.slice(0, 3) as look (look.at)}<div>
									{look.who}, <When at={look.at} />
								</div>{/each}
							{#if one.seen.length > 3}<div class="quiet">and {one.seen.length - 3} more times</div>{/if}
							{#if !one.isMade && one.byWhom}<div>{one.byWhom}, who typed it</div>{/if}
							{#if one.seen.length === 0 && (one.isMade || !one.byWhom)}<span class="quiet"
									>{one.isMade ? 'by nobody' : 'by whoever gave it'}</span
								>{/if}</TableBodyCell
						>
					</TableBodyRow>
				{/each}
			</TableBody>
		</Table>
	</form>
	<p class="quiet mt-2 max-w-prose">
		A secret is renewed by a rollout: Limen makes it, sends it to all its ends together, proves that the new
		one is in use and the one before is not, and then destroys the one before. Engineers can look at values in
		the clear once they have said who they are; each look stands here and in the records.
	</p>
{/if}

<section class="sheet mt-5 p-4" aria-labelledby="rules-title">
	<h2 id="rules-title">How old a secret may become</h2>
	{#if data.rules.length === 0}<p class="quiet mt-1">
			No rule says it yet. Where one does, the secret is told two weeks before, and when it is to be renewed.
		</p>{:else}
		<ul class="mt-1 flex flex-wrap gap-x-8 gap-y-1">
			{#each data.rules as rule (`${rule.customerId} ${rule.about}`)}
				<li class="flex flex-wrap items-center gap-x-3 py-0.5">
					<span
						>{rule.customer},
						<span class={rule.about.startsWith('field ') ? 'mono' : ''}>{aboutWords(rule.about)}</span>: {counted(
							rule.days,
							'day'
						)}</span
					>
					{#if mayDo('set values', rule.customerId)}<form method="POST" action="?/dropRule" use:act>
							<input type="hidden" name="customer" value={rule.customerId} />
							<input type="hidden" name="about" value={rule.about} />
							<Button
								type="submit"
								size="xs"
								color="alternative"
								aria-label="Remove the rule of {rule.customer} about {aboutWords(rule.about)}">Remove</Button
							>
						</form>{/if}
				</li>
			{/each}
		</ul>
	{/if}
	{#if customers.length > 0}
		<Form action="?/rule" class="mt-3 flex flex-wrap items-end gap-3">
			{#snippet children({ busy })}
				<FormField
					label="Of"
					name="customer"
					kind="select"
					value={page.data.customerId ?? customers[0]?.id}
					items={customers.map(({ id, name }) => ({ value: id, name }))}
				/>
				<FormField
					label="Which"
					name="about"
					kind="select"
					value=""
					items={[
						{ value: '', name: 'all' },
						{ value: 'tunnels', name: 'tunnels' },
						...fields.map((name) => ({ value: `field ${name}`, name }))
					]}
				/>
				<FormField label="Days" name="days" inputmode="numeric" value="90" required class="w-24" />
				<Button type="submit" size="sm" color="alternative" disabled={busy}>Let it count</Button>
			{/snippet}
		</Form>
	{/if}
</section>
