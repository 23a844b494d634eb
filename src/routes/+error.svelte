<script lang="ts">
	import { page } from '$app/state';

	// What the framework says of a path that no page has
	const NO_PAGE = 'Not Found';
	const title = $derived(
		page.status === 404 ? 'Not here' : page.status === 403 ? 'Not for your duty' : 'Something went wrong'
	);
</script>

<svelte:head><title>{title} · Limen</title></svelte:head>
<h1>{title}</h1>
<p class="mt-3 max-w-prose">
	{page.error?.message === NO_PAGE
		? 'There is no page at this address. The link may be old, or not whole.'
		: page.error?.message}
</p>
<p class="mt-3"><a href="/">To Today</a></p>
