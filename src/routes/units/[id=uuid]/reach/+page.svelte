<script lang="ts">
	import { Button } from 'flowbite-svelte';
	import { onMount } from 'svelte';
	import { act } from '$ui/forms';
	import { Form, FormField, MenuLink, Notice, PageHead } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { Serial, Standing, When } from '$ui/marks';
	import { FormWords } from '$ui/people';
	import { KeyField } from '$ui/reach';

	let { data, form } = $props();
	onMount(() => refreshOn(['units']));
	const connected = $derived(data.connection?.endedAt === null ? data.connection.way : null);
</script>

<PageHead title="Reach {data.unit.serial} at an address">
	{#snippet name()}Reach <Serial serial={data.unit.serial} /> at an address{/snippet}
	{#snippet acts()}<Button href="/units/{data.unit.id}" size="sm" color="alternative">Back to the unit</Button
		>{/snippet}
	{#snippet more()}<MenuLink href="/addresses/ways">Ways in</MenuLink><MenuLink href="/addresses/logins"
			>Logins</MenuLink
		>{/snippet}
	{#snippet about()}<span>{data.unit.makerName} {data.unit.modelName} · {data.unit.customerName}</span
		>{/snippet}
</PageHead>
<FormWords {form} />
{#if data.unit.reachProblem}<Notice kind="careful" class="mt-3"
		><b>Cannot be reached.</b>
		{data.unit.reachProblem} <span class="quiet"><When at={data.unit.reachProblemAt} /></span></Notice
	>{/if}
{#if data.reach}
	<form
		method="POST"
		action="?/stop"
		use:act
		class="sheet mt-3 flex flex-wrap items-center gap-x-6 gap-y-2 p-4"
	>
		<Standing
			standing={connected ? 'online' : 'not-heard'}
			word={connected === null ? 'not connected' : connected === 'out' ? 'connected' : 'it dialled home'}
		/>
		<p>
			It is reached at <span class="mono">{data.reach.address}</span>, port {data.reach.port}, {data.reach
				.login
				? `with the login “${data.reach.login}”, `
				: ''}{data.reach.way
				? `by way of “${data.reach.way}”`
				: 'directly: no way in has a range for this address'}.
			{#if connected !== null && connected !== 'out'}While it is connected by itself, it is not reached.{/if}
			{#if connected === null}Next try <When at={data.reach.nextTryAt} />.{/if}
		</p>
		<Button type="submit" size="sm" color="alternative" class="ml-auto">Stop reaching it</Button>
	</form>
{:else}<p class="mt-3 max-w-prose">
		A unit that does not dial home is reached at its address, with a login of its own or one that its customer
		has for that address. The host key that it shows first is remembered; another one later is not trusted.
	</p>{/if}
{#key `${data.reach?.address} ${data.reach?.port}`}<Form action="?/reach" class="sheet mt-4 p-4">
		{#snippet children({ busy })}
			<div class="grid gap-4 sm:grid-cols-2">
				<FormField
					label="Address"
					name="address"
					mono
					required
					maxlength={60}
					stored={data.reach?.address ?? ''}
					placeholder="10.20.0.1"
					autocomplete="off"
				/>
				<FormField
					label="Port"
					name="port"
					mono
					required
					maxlength={5}
					stored={String(data.reach?.port ?? 22)}
					hint="22 for a command line, 830 for NETCONF, unless it was changed."
					autocomplete="off"
				/>
				<FormField
					label="User"
					name="user"
					mono
					maxlength={100}
					hint="Empty: with the login that the customer has for this address."
					autocomplete="off"
				/>
				<FormField label="Password" name="password" kind="password" maxlength={500} autocomplete="off" />
				<FormField
					label="Password that raises privileges"
					name="privileges"
					kind="password"
					maxlength={500}
					hint="If its command line asks for one."
					autocomplete="off"
				/>
			</div>
			<KeyField />
			<Button type="submit" size="sm" class="mt-4" disabled={busy}
				>{data.reach ? 'Reach it there instead' : 'Reach it at this address'}</Button
			>
		{/snippet}
	</Form>{/key}
{#if data.ways.length > 0}<p class="quiet mt-3">
		Ways in of {data.unit.customerName}: {data.ways
			.map(({ name, ranges }) => `${name} for ${ranges.join(', ')}`)
			.join('; ')}. Any other address is reached directly.
	</p>{/if}
