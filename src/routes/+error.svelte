<script lang="ts">
	import { page } from '$app/state';
</script>

<svelte:head><title>{page.status} · Limen</title></svelte:head>
<h1>
	{page.status === 404 ? 'Not here' : page.status === 403 ? 'Not for your duty' : 'Something went wrong'}
</h1>
<p class="mt-3 max-w-prose">{page.error?.message}</p>
<p class="mt-3"><a href="/">To Today</a></p>
