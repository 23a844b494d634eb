<script lang="ts">
	import { Button, Clipboard } from 'flowbite-svelte';
	import { act } from '$ui/forms';
	import { Form, FormField, PageHead } from '$ui/kit';
	import { When } from '$ui/marks';
	import { FormWords } from '$ui/people';

	let { data, form } = $props();
	const address = $derived(form && 'address' in form ? String(form.address) : null);
</script>

<PageHead title="Wall screens">
	{#snippet about()}<a href="/people">People</a><span
			>For an operations room: nobody signs in, nothing on them is secret, and whoever has the address sees
			them until you end it.</span
		>{/snippet}
</PageHead>
<FormWords {form} />
{#if address}<p class="sheet mt-3 flex flex-wrap items-center gap-3 p-4">
		<span class="mono break-all" data-address>{address}</span>
		<Clipboard value={address} size="xs" color="alternative"
			>{#snippet children(success)}{success ? 'Copied' : 'Copy'}{/snippet}</Clipboard
		>
		<span class="quiet">With <span class="mono">?theme=dark</span> behind it, it is dark.</span>
	</p>{/if}
<ul class="sheet mt-3 max-w-4xl empty:hidden" aria-label="Screens">
	{#each data.screens as screen (screen.id)}<li class="flex flex-wrap items-baseline gap-3 p-3">
			<b>{screen.name}</b> <span>{screen.customer ?? 'every customer'}</span>
			<span class="quiet"
				>made by {screen.madeBy}, <When at={screen.madeAt} />{#if screen.endedAt}; ended by {screen.endedBy},
					<When at={screen.endedAt} />{/if}</span
			>
			{#if !screen.endedAt}<form method="POST" action="?/end" use:act class="ml-auto">
					<input type="hidden" name="screen" value={screen.id} />
					<Button type="submit" size="xs" color="alternative">End it</Button>
				</form>{/if}
		</li>{/each}
</ul>
{#if data.screens.length === 0}<p class="sheet mt-3 max-w-4xl p-4">There is none yet.</p>{/if}
<h2 class="mt-6">Another screen</h2>
{#key data.screens.length}<Form action="?/make" class="sheet mt-2 max-w-4xl p-4">
		{#snippet children({ busy })}
			<div class="flex flex-wrap items-end gap-3">
				<FormField label="Where it hangs" name="name" maxlength={80} required class="min-w-64" />
				<FormField label="Shows" kind="select" name="customer">
					<option value="">every customer</option>
					{#each data.customers as { id, name } (id)}<option value={id}>{name} alone</option>{/each}
				</FormField>
				<Button type="submit" size="sm" disabled={busy}>Make its address</Button>
			</div>
		{/snippet}
	</Form>{/key}
