<script lang="ts">
	import { Button, Checkbox, Clipboard } from 'flowbite-svelte';
	import { act } from '$ui/forms';
	import { FormField } from '$ui/kit';
	import { When } from '$ui/marks';

	/** Tokens by which programs act as oneself; one that was just made is shown this once. */
	let {
		tokens,
		made
	}: {
		tokens: readonly {
			readonly id: string;
			readonly name: string;
			readonly interrupts: boolean;
			readonly endsAt: Date;
			readonly lastUsedAt: Date | null;
			readonly lastAddress: string | null;
		}[];
		made: string | null;
	} = $props();
</script>

<h2 class="mt-6">Programs that act as you</h2>
<p class="mt-1">
	A program with a token of yours does what you may, by <a href="/api/v1/openapi.json"
		>the interface for programs</a
	>, under your name and its own.
</p>
{#if made}<p class="sheet mt-3 flex flex-wrap items-center gap-3 p-4">
		<span class="mono break-all" data-token>{made}</span>
		<Clipboard value={made} size="xs" color="alternative"
			>{#snippet children(success)}{success ? 'Copied' : 'Copy'}{/snippet}</Clipboard
		>
		<span class="quiet">It is not shown again.</span>
	</p>{/if}
<ul class="sheet mt-3 empty:hidden" aria-label="Tokens">
	{#each tokens as token (token.id)}<li class="flex flex-wrap items-center justify-between gap-3">
			<span
				><b>{token.name}</b>{token.interrupts ? ', also what interrupts networks' : ''}<span
					class="quiet block"
					>until <When at={token.endsAt} />{#if token.lastUsedAt}, used <When at={token.lastUsedAt} /> from
						{token.lastAddress}{:else}, never used{/if}</span
				></span
			>
			<form method="POST" action="?/endToken" use:act>
				<input type="hidden" name="token" value={token.id} />
				<Button type="submit" size="xs" color="alternative">End it</Button>
			</form>
		</li>{/each}
</ul>
<form method="POST" action="?/token" use:act class="sheet mt-3 p-4">
	<div class="flex flex-wrap items-end gap-3">
		<FormField label="Program" name="name" required maxlength={80} autocomplete="off" class="grow" />
		<FormField label="Good for days" name="days" kind="number" value="90" min={1} max={366} required />
	</div>
	<div class="mt-3">
		<Checkbox name="interrupts">It may also do what interrupts or exposes networks</Checkbox>
	</div>
	<Button type="submit" size="sm" color="alternative" class="mt-3">Make a token</Button>
</form>
