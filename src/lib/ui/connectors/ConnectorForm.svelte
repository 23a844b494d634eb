<script lang="ts">
	import { untrack } from 'svelte';
	import { Button, Checkbox } from 'flowbite-svelte';
	import { CONNECTOR_KIND_WORDS, CONNECTOR_RHYTHMS, type ConnectorKind } from '$core/connector';
	import { Form, FormField } from '$ui/kit';

	/** States where another system's list is read, and how often. Without `connector`: a new one. */
	interface Stated {
		readonly id: string;
		readonly customerId: string;
		readonly name: string;
		readonly kind: ConnectorKind;
		readonly url: string | null;
		readonly header: string;
		readonly records: string;
		readonly nextPage: string;
		readonly patternId: string | null;
		readonly everyMinutes: number | null;
		readonly byItself: boolean;
		readonly edit: number;
	}
	let {
		connector = null,
		customers = [],
		patterns
	}: {
		connector?: Stated | null;
		customers?: readonly { readonly id: string; readonly name: string }[];
		patterns: readonly { readonly id: string; readonly name: string; readonly customerId: string }[];
	} = $props();
	const RHYTHMS = Object.entries(CONNECTOR_RHYTHMS);
	const KINDS = Object.entries(CONNECTOR_KIND_WORDS) as [ConnectorKind, string][];
	let customer = $state(untrack(() => connector?.customerId ?? customers[0]?.id ?? ''));
	let kind = $state<ConnectorKind>(untrack(() => connector?.kind ?? 'sites'));
	const own = $derived(patterns.filter(({ customerId }) => customerId === customer));
</script>

<Form action="?/save" class="sheet mt-2 max-w-5xl p-4">
	{#snippet children({ busy })}
		<input type="hidden" name="id" value={connector?.id ?? ''} />
		<input type="hidden" name="edit" value={connector?.edit ?? 0} />
		<div class="grid gap-3 sm:grid-cols-[1fr_1fr_1.3fr]">
			<FormField label="Name" name="name" stored={connector?.name ?? ''} maxlength={80} required />
			{#if !connector}
				<FormField label="Customer" kind="select" name="customer" bind:value={customer}>
					{#each customers as { id, name } (id)}<option value={id}>{name}</option>{/each}
				</FormField>
				<FormField label="It brings" kind="select" name="kind" bind:value={kind}>
					{#each KINDS as [value, words] (value)}<option {value}>{words}</option>{/each}
				</FormField>
			{/if}
		</div>
		<FormField
			label="Address"
			name="url"
			stored={connector?.url ?? ''}
			maxlength={2000}
			autocomplete="off"
			placeholder="https://"
			hint="CSV, XLSX or JSON. Leave it empty for files that are put into a folder."
			class="mt-3"
		/>
		<div class="mt-3 grid gap-3 sm:grid-cols-2">
			<FormField
				label="Header that it wants"
				name="header"
				stored={connector?.header ?? ''}
				maxlength={80}
				autocomplete="off"
				placeholder="Authorization"
				hint="Only where it lets nobody in without."
			/>
			<FormField
				label="What the header holds"
				kind="password"
				name="headerValue"
				maxlength={2000}
				autocomplete="off"
				hint={connector?.header ? 'Empty: as it is. It is shown to nobody.' : 'It is kept sealed.'}
			/>
			<FormField
				label="Where the list is, in JSON"
				name="records"
				stored={connector?.records ?? ''}
				maxlength={200}
				mono
				autocomplete="off"
				placeholder="/items"
				hint="A JSON Pointer; empty where the document is the list."
			/>
			<FormField
				label="Where the next page is, in JSON"
				name="nextPage"
				stored={connector?.nextPage ?? ''}
				maxlength={200}
				mono
				autocomplete="off"
				placeholder="/next"
				hint="Pages that a Link header tells of are read by themselves."
			/>
			{#if kind === 'sites'}<FormField
					label="New sites are stamped from"
					kind="select"
					name="pattern"
					stored={connector?.patternId ?? ''}
				>
					<option value="">no pattern: the site alone</option>
					{#each own as { id, name } (id)}<option value={id}>{name}</option>{/each}
				</FormField>{/if}
			<FormField
				label="It is read"
				kind="select"
				name="every"
				stored={String(connector?.everyMinutes ?? 0)}
				hint="From when its columns are chosen."
			>
				{#each RHYTHMS as [value, words] (value)}<option {value}>{words}</option>{/each}
			</FormField>
		</div>
		<div class="mt-3">
			<Checkbox name="byItself" checked={connector?.byItself ?? false}
				>What is new, and what only the other side changed, is taken over by itself</Checkbox
			>
		</div>
		<Button type="submit" size="sm" class="mt-4" disabled={busy}
			>{connector ? 'Change it' : 'Make the connector'}</Button
		>
	{/snippet}
</Form>
