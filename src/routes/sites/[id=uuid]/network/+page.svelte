<script lang="ts">
	import { Button, Clipboard } from 'flowbite-svelte';
	import { FormField, Notice, PageHead } from '$ui/kit';

	let { data } = $props();
</script>

<PageHead title="What the network has to say">
	{#snippet about()}<a href="/sites/{data.site.id}">{data.site.name}</a><span
			>So that a factory-new unit finds Limen. One of these is enough, where its maker does not send it here
			already.</span
		>{/snippet}
</PageHead>
<form class="mt-3 flex max-w-4xl flex-wrap items-end gap-3">
	<FormField
		label="Limen, as this network reaches it"
		name="at"
		mono
		required
		maxlength={200}
		value={data.at}
		hint="Another name or address, where the site has a way of its own to it. Its certificate has to carry it, or vouchers have to be believed."
	/>
	<Button type="submit" size="sm" color="alternative">Write for it</Button>
</form>
{#if data.problem}<Notice kind="wrong" class="mt-3 max-w-4xl">{data.problem}</Notice>{/if}
<div class="mt-3 grid max-w-4xl gap-3">
	{#each data.texts as { title, text } (title)}<section class="sheet p-4" aria-label={title}>
			<div class="flex items-start justify-between gap-3">
				<h2 class="text-base">{title}</h2>
				<Clipboard value={text} size="xs" color="alternative" aria-label="Copy: {title}"
					>{#snippet children(success)}{success ? 'Copied' : 'Copy'}{/snippet}</Clipboard
				>
			</div>
			<pre class="mono mt-2 text-sm break-all whitespace-pre-wrap">{text}</pre>
		</section>{/each}
</div>
