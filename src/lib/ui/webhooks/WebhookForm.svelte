<script lang="ts">
	import { untrack } from 'svelte';
	import { Button, Checkbox } from 'flowbite-svelte';
	import { HAPPENINGS, HAPPENINGS_IN_ORDER, type Happening } from '$core/webhooks';
	import { Form, FormField } from '$ui/kit';

	/** States where a program is told, and what of. Without `webhook`: a new one. */
	let {
		webhook = null,
		customers
	}: {
		webhook?: {
			readonly id: string;
			readonly name: string;
			readonly url: string;
			readonly customerId: string | null;
			readonly kinds: readonly Happening[];
			readonly isOn: boolean;
			readonly edit: number;
		} | null;
		customers: readonly { readonly id: string; readonly name: string }[];
	} = $props();
	let kinds = $state<readonly Happening[]>(untrack(() => webhook?.kinds ?? HAPPENINGS_IN_ORDER));
</script>

<Form action="?/save" class="sheet mt-2 max-w-4xl p-4">
	{#snippet children({ busy })}
		<input type="hidden" name="id" value={webhook?.id ?? ''} />
		<input type="hidden" name="edit" value={webhook?.edit ?? 0} />
		<div class="flex flex-wrap items-end gap-3">
			<FormField
				label="Name"
				name="name"
				stored={webhook?.name ?? ''}
				maxlength={80}
				required
				class="min-w-52"
			/>
			<FormField
				label="Address"
				name="url"
				stored={webhook?.url ?? ''}
				maxlength={2000}
				required
				autocomplete="off"
				placeholder="https://"
				class="min-w-0 grow basis-72"
			/>
			<FormField label="About" kind="select" name="customer" stored={webhook?.customerId ?? ''}>
				<option value="">every customer</option>
				{#each customers as { id, name } (id)}<option value={id}>{name} alone</option>{/each}
			</FormField>
		</div>
		<fieldset class="mt-4">
			<legend class="font-semibold">It is told when</legend>
			<div class="mt-1 grid gap-x-6 gap-y-1 sm:grid-cols-2">
				{#each HAPPENINGS_IN_ORDER as kind (kind)}<Checkbox
						name="kinds"
						value={kind}
						bind:group={kinds as string[]}>{HAPPENINGS[kind]}</Checkbox
					>{/each}
			</div>
		</fieldset>
		{#if webhook}<div class="mt-3"><Checkbox name="on" checked={webhook.isOn}>It is on</Checkbox></div>{/if}
		<Button type="submit" size="sm" class="mt-4" disabled={busy}
			>{webhook ? 'Change it' : 'Make the webhook'}</Button
		>
	{/snippet}
</Form>
