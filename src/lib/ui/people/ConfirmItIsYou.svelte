<script lang="ts" module>
	/** What the server asks before an act that interrupts or exposes a network. */
	export interface Confirmation {
		readonly words: string;
		readonly sites: readonly string[];
		readonly action: string;
		readonly fields: Readonly<Record<string, string | readonly string[]>>;
		readonly wantsPassword: boolean;
		/** The firm, where they can show it at its own sign-in; and whether that is their only way. */
		readonly firm?: string | null;
		readonly firmAlone?: boolean;
		readonly wantsReason?: boolean;
		readonly whom?: string | null;
		readonly problem: string | null;
		readonly hint?: string | null;
	}
</script>

<script lang="ts">
	import { counted } from '$core/text';
	import { Dialog, FormField, Notice } from '$ui/kit';
	import { Button, Checkbox } from 'flowbite-svelte';
	import { act } from '$ui/forms';

	/** Asks again who it is, before an act that interrupts or exposes a network is done. */
	let { confirmation }: { confirmation: Confirmation } = $props();

	/** What goes again unseen: all but what is asked for here. */
	const hidden = $derived(
		Object.entries(confirmation.fields)
			.filter(
				([name]) =>
					!(name === 'reason' && confirmation.wantsReason) && !(name === 'asked' && confirmation.whom)
			)
			.flatMap(([name, value]) => [value].flat().map((one): [string, string] => [name, one]))
	);
	let open = $state(true);
	$effect(() => {
		// A new question opens again
		if (confirmation) open = true;
	});
</script>

<Dialog bind:open title={confirmation.wantsPassword ? 'Confirm that it is you' : 'Before this is done'}>
	<p>{confirmation.words}</p>
	{#if confirmation.sites.length > 0}
		<p>
			<b
				>{confirmation.sites.length === 1
					? 'It interrupts one site:'
					: `It interrupts ${counted(confirmation.sites.length, 'site')}:`}</b
			>
			{confirmation.sites.slice(0, 12).join(', ')}{#if confirmation.sites.length > 12}
				and {confirmation.sites.length - 12} more{/if}
		</p>
	{/if}
	<form method="POST" action={confirmation.action} use:act>
		{#each hidden as [name, value], index (index)}<input type="hidden" {name} {value} />{/each}
		{#if confirmation.wantsReason}
			<FormField
				label="Why"
				hint="It goes into the records beside your name."
				name="reason"
				required
				maxlength={500}
				autocomplete="off"
				value={confirmation.fields.reason ?? ''}
				data-autofocus
			/>
		{/if}
		{#if confirmation.whom}<Checkbox name="asked" required class="mt-3"
				>{confirmation.whom} was asked, and agrees</Checkbox
			>{/if}
		{#if confirmation.wantsPassword && confirmation.firm}<p class="mt-3">
				<a class="underline" href="/sign-in/firm?again" target="_blank" rel="noopener"
					>Show it at {confirmation.firm}</a
				>{confirmation.firmAlone
					? ', which opens beside this page, then go on here.'
					: ', then go on here. Or:'}
			</p>{/if}
		{#if confirmation.wantsPassword && !confirmation.firmAlone}
			<FormField
				label="Your password"
				class="mt-3"
				name="confirm_password"
				kind="password"
				hint={confirmation.hint ?? undefined}
				autocomplete="current-password"
				required={!confirmation.firm}
				data-autofocus={confirmation.wantsReason ? undefined : true}
			/>
			<FormField
				label="One-time code"
				hint="If you use one."
				class="mt-3"
				mono
				name="confirm_code"
				inputmode="numeric"
				autocomplete="one-time-code"
			/>
		{/if}
		{#if confirmation.problem}<Notice kind="wrong">{confirmation.problem}</Notice>{/if}
		<p class="mt-4 flex gap-3">
			<Button type="submit"
				>{confirmation.wantsPassword && !confirmation.firmAlone ? 'Confirm and go on' : 'Go on'}</Button
			>
		</p>
	</form>
</Dialog>
