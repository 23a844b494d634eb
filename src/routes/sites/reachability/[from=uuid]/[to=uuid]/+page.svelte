<script lang="ts">
	import { Button } from 'flowbite-svelte';
	import { onMount } from 'svelte';
	import { pathWords } from '$core/reachability';
	import { PathMark } from '$ui/charts';
	import { Facts, Form, PageHead } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { When } from '$ui/marks';
	import { FormWords, mayDo } from '$ui/people';

	let { data, form } = $props();
	onMount(() => refreshOn(['paths', 'units', 'errand-ended']));
	const { from, to, planned, there, back, changes, customerId } = $derived(data.pair);
	const sides = $derived([
		{ way: 'there', asks: from, about: to, found: there },
		{ way: 'back', asks: to, about: from, found: back }
	] as const);
	const mayLook = $derived(mayDo('prove', customerId));
</script>

<PageHead title="{from.called} and {to.called}">
	{#snippet state()}<span class="inline-flex items-center gap-1.5"
			>planned <PathMark path={planned} /> {pathWords(planned)}</span
		>{/snippet}
	{#snippet acts()}
		<Button href="/sites/reachability?customer={customerId}" size="sm" color="alternative"
			>Who reaches whom</Button
		>
	{/snippet}
</PageHead>
<FormWords {form} />
<div class="mt-4 grid gap-5 lg:grid-cols-2">
	{#each sides as { way, asks, about, found } (way)}
		<section class="sheet p-4">
			<h2>
				<a href="/sites/{asks.siteId}">{asks.called}</a> asks for
				<a href="/sites/{about.siteId}">{about.called}</a>
			</h2>
			{#if found}
				<p class="mt-2 flex items-center gap-2">
					<PathMark path={found.path} /><span>{found.words}</span>
				</p>
				{#if found.path !== 'none' && found.path !== 'unread'}<Facts>
						<div>
							<dt>Path</dt>
							<dd>
								{pathWords(found.path)}{#if planned && found.path !== planned}, planned {pathWords(
										planned
									)}{/if}
							</dd>
						</div>
						<div>
							<dt>There and back</dt>
							<dd>{found.milliseconds === null ? 'not said' : `${found.milliseconds} ms`}</dd>
						</div>
						<div>
							<dt>Loss</dt>
							<dd>{found.loss === null ? 'not said' : `${found.loss} %`}</dd>
						</div>
						<div>
							<dt>Steps</dt>
							<dd>{found.hops === null ? 'not said' : found.hops}</dd>
						</div>
					</Facts>{/if}
				<p class="quiet mt-2 text-sm">
					Looked at <When at={found.lookedAt} />, so since <When at={found.pathSince} />.
				</p>
				{#if found.answer}
					<h3 class="mt-3">What its unit answered</h3>
					<pre class="mono mt-1 overflow-x-auto text-sm">{found.answer}</pre>
				{/if}
			{:else}<p class="quiet mt-2">
					Nobody looked yet{asks.isConnected ? '; its turn comes by itself.' : ': its unit is not connected.'}
				</p>{/if}
			{#if mayLook}
				<Form action="?/look" class="mt-4">
					{#snippet children({ busy })}
						<input type="hidden" name="way" value={way} />
						<Button type="submit" size="xs" color="alternative" disabled={busy || !asks.isConnected}
							>{asks.isConnected ? `Ask ${asks.called} now` : 'Not connected'}</Button
						>
					{/snippet}
				</Form>
			{/if}
		</section>
	{/each}
</div>
<h2 class="mt-6">What changed between them</h2>
{#if changes.length === 0}<p class="quiet mt-1">
		Their path has not changed since it was first looked at.
	</p>{/if}
<ul class="mt-1">
	{#each changes as change (change.id)}
		<li class="py-1">
			<span class="quiet"><When at={change.at} /></span>
			{change.from.called} to {change.to.called}: {pathWords(change.before)}, now
			<PathMark path={change.after} />
			{pathWords(change.after)}
		</li>
	{/each}
</ul>
