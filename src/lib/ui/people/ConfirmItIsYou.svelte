<script lang="ts" module>
	/** What the server asks before an act that interrupts or exposes a network. */
	export interface Confirmation {
		readonly words: string;
		readonly sites: readonly string[];
		readonly action: string;
		readonly fields: Readonly<Record<string, string>>;
		readonly wantsPassword: boolean;
		readonly wantsReason?: boolean;
		readonly problem: string | null;
	}
</script>

<script lang="ts">
	import { counted } from '$core/text';
	import { Button, Modal } from 'flowbite-svelte';
	import { enhance } from '$app/forms';

	/** Asks again who it is, before an act that interrupts or exposes a network is done. */
	let { confirmation }: { confirmation: Confirmation } = $props();

	let open = $state(true);
	$effect(() => {
		// A new question opens again
		if (confirmation) open = true;
	});

	/** The first thing to fill in has the focus; the dialog would give it to its closing mark. */
	const first = (field: HTMLInputElement) => {
		if (field.form?.querySelector('input:not([type=hidden])') === field)
			requestAnimationFrame(() => field.focus());
	};
</script>

<Modal
	bind:open
	title={confirmation.wantsPassword ? 'Confirm that it is you' : 'Before this is done'}
	size="sm"
>
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
	<form method="POST" action={confirmation.action} use:enhance>
		{#each Object.entries(confirmation.fields) as [name, value] (name)}{#if name !== 'reason' || !confirmation.wantsReason}<input
					type="hidden"
					{name}
					{value}
				/>{/if}{/each}
		{#if confirmation.wantsReason}
			<label class="block font-semibold" for="confirm-reason">Why</label>
			<input
				id="confirm-reason"
				name="reason"
				required
				maxlength="500"
				autocomplete="off"
				value={confirmation.fields.reason ?? ''}
				class="field mb-3"
				use:first
			/>
			<p class="quiet -mt-2 mb-3">It goes into the records beside your name.</p>
		{/if}
		{#if confirmation.wantsPassword}
			<label class="block font-semibold" for="confirm-password">Your password</label>
			<input
				id="confirm-password"
				name="confirm_password"
				type="password"
				autocomplete="current-password"
				required
				class="field"
				use:first
			/>
			<label class="mt-3 block font-semibold" for="confirm-code"
				>One-time code <span class="quiet font-normal">(if you use one)</span></label
			>
			<input
				id="confirm-code"
				name="confirm_code"
				inputmode="numeric"
				autocomplete="one-time-code"
				class="field mono"
			/>
		{/if}
		{#if confirmation.problem}<p class="mt-3 font-semibold text-[var(--brick)]" role="alert">
				{confirmation.problem}
			</p>{/if}
		<p class="mt-4 flex gap-3">
			<Button type="submit">{confirmation.wantsPassword ? 'Confirm and go on' : 'Go on'}</Button>
		</p>
	</form>
</Modal>
