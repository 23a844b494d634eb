<script lang="ts">
	import { onMount } from 'svelte';
	import { Button, TableBody, TableBodyCell, TableBodyRow, TableHead, TableHeadCell } from 'flowbite-svelte';
	import { HAPPENINGS, type Happening } from '$core/webhooks';
	import { act } from '$ui/forms';
	import { PageHead, Table } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { When } from '$ui/marks';
	import { FormWords } from '$ui/people';
	import { WebhookForm, WebhookSecret, WebhookStanding } from '$ui/webhooks';

	let { data, form } = $props();
	onMount(() => refreshOn(['webhooks']));
	const STATES = [
		[null, 'All'],
		['waiting', 'Waiting'],
		['given up', 'Given up'],
		['taken', 'Taken']
	] as const;
	const address = (state: string | null) =>
		`/people/webhooks/${data.webhook.id}${state ? `?state=${encodeURIComponent(state)}` : ''}`;
	const words = (kind: string) => (kind in HAPPENINGS ? HAPPENINGS[kind as Happening] : 'somebody tries it');
</script>

<PageHead title={data.webhook.name}>
	{#snippet acts()}
		{#each [['try', 'Try it'], ['renew', 'New secret'], ['end', 'End it']] as const as [name, label] (name)}<form
				method="POST"
				action="?/{name}"
				use:act
			>
				<input type="hidden" name="webhook" value={data.webhook.id} />
				<Button type="submit" size="sm" color="alternative">{label}</Button>
			</form>{/each}
	{/snippet}
	{#snippet about()}<a href="/people/webhooks">Webhooks</a><span class="mono text-sm break-all"
			>{data.webhook.url}</span
		><span>{data.webhook.customer ?? 'every customer'}</span>{/snippet}
</PageHead>
<FormWords {form} />
<WebhookSecret {form} />
<div class="mt-3"><WebhookStanding webhook={data.webhook} /></div>

<h2 class="mt-5">What it was told</h2>
<nav class="mt-1 flex flex-wrap gap-4" aria-label="Which">
	{#each STATES as [state, label] (label)}<a
			href={address(state)}
			aria-current={data.state === state ? 'page' : undefined}>{label}</a
		>{/each}
</nav>
{#if data.told.length === 0}<p class="sheet mt-3 p-4">
		{data.state ? 'There is nothing of that kind.' : 'Nothing has happened yet that it is told of.'}
	</p>
{:else}
	<div class="mt-3">
		<Table label="What it was told" class="min-w-[46rem]">
			<TableHead
				><TableHeadCell>When</TableHeadCell><TableHeadCell>What</TableHeadCell><TableHeadCell
					>Became</TableHeadCell
				><TableHeadCell>Answer</TableHeadCell><TableHeadCell><span class="sr-only">Acts</span></TableHeadCell
				></TableHead
			>
			<TableBody>
				{#each data.told as one (one.id)}<TableBodyRow data-delivery={one.state}
						><TableBodyCell class="whitespace-nowrap"><When at={one.at} /></TableBodyCell><TableBodyCell
							>{words(one.kind)}{#if one.subject}, <a class="underline" href="/{one.subject}"
									>{one.where || 'there'}</a
								>{/if}
							<span class="quiet mono block text-sm">limen.{one.kind}</span></TableBodyCell
						><TableBodyCell
							>{one.state}{#if one.tries > 1}<span class="quiet block">after {one.tries} tries</span
								>{/if}</TableBodyCell
						><TableBodyCell
							>{#if one.trouble}{one.trouble}{:else if one.status}{one.status} after {one.tookMs} ms{/if}</TableBodyCell
						><TableBodyCell
							>{#if one.state !== 'waiting'}<form method="POST" action="?/again" use:act>
									<input type="hidden" name="delivery" value={one.id} />
									<Button type="submit" size="xs" color="alternative">Tell it again</Button>
								</form>{/if}</TableBodyCell
						></TableBodyRow
					>{/each}
			</TableBody>
		</Table>
	</div>
	{#if data.hasMore}<p class="mt-2">
			<a href="{address(data.state)}{data.state ? '&' : '?'}before={data.told.at(-1)!.id}">Earlier ones</a>
		</p>{/if}
{/if}

<h2 class="mt-6">Change it</h2>
{#key data.webhook.edit}<WebhookForm webhook={data.webhook} customers={data.customers} />{/key}
