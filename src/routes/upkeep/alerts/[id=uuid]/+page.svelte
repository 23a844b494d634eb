<script lang="ts">
	import { onMount } from 'svelte';
	import { Button } from 'flowbite-svelte';
	import { ALERT_KINDS, type AlertKind } from '$core/events';
	import { act } from '$ui/forms';
	import { Facts, Form, FormField, PageHead } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { Serial, Standing, When } from '$ui/marks';
	import { FormWords, mayDo } from '$ui/people';

	/** What is decided where what the unit runs stands beside what it should. */
	const IS_OF_DRIFT: { readonly [Kind in AlertKind]?: true } = {
		'changed outside': true,
		'put back': true,
		'not put back': true,
		drift: true
	};

	let { data, form } = $props();
	onMount(() => refreshOn(['alerts']));
	const alert = $derived(data.alert);
	const mayCare = $derived(mayDo('prove', alert.customerId));
	const standing = $derived(alert.endedAt ? 'through' : alert.seenAt ? 'late' : 'stuck');
</script>

<PageHead title={alert.where}>
	{#snippet state()}<Standing
			{standing}
			word={alert.endedAt ? `was ${ALERT_KINDS[alert.kind]}, ended` : ALERT_KINDS[alert.kind]}
		/>{/snippet}
	{#snippet acts()}{#if mayCare && !alert.endedAt}<form method="POST" action="?/take" use:act>
				<input type="hidden" name="alert" value={alert.id} />
				<Button type="submit" size="sm" color={alert.owner ? 'alternative' : 'primary'}
					>{alert.owner ? 'Take it over' : 'Take care of it'}</Button
				>
			</form>{/if}{/snippet}
	{#snippet about()}<a href="/upkeep/events">All alerts</a>{#if alert.unitId}<a href="/units/{alert.unitId}"
				>The unit</a
			><a href="/units/{alert.unitId}/health">How it does</a>{#if IS_OF_DRIFT[alert.kind]}<a
					href="/units/{alert.unitId}/versions">What it runs, and what differs</a
				>{/if}{:else}<a href="/sites/connectors/{alert.connectorId}">The connector</a>{/if}{/snippet}
</PageHead>
<FormWords {form} />
<p class="mt-3 max-w-[80ch] text-lg">{alert.words}</p>
<Facts>
	<div>
		<dt>Since</dt>
		<dd><When at={alert.beganAt} /></dd>
	</div>
	<div>
		<dt>Until</dt>
		<dd>
			{#if alert.endedAt}<When at={alert.endedAt} />{:else}it goes on{/if}
		</dd>
	</div>
	<div>
		<dt>Taken care of by</dt>
		<dd>{alert.owner ?? 'nobody'}</dd>
	</div>
	<div>
		<dt>Seen</dt>
		<dd>
			{#if alert.seenAt}<When at={alert.seenAt} /> by {alert.seenBy}{:else}by nobody{/if}
		</dd>
	</div>
</Facts>
{#if alert.withUnits.length > 0}
	<h2 class="mt-5">Away because of it</h2>
	<ul class="mt-1 flex flex-wrap gap-x-5">
		{#each alert.withUnits as { id, serial, where } (id)}<li>
				<a href="/units/{id}">{where ?? ''}</a>
				<Serial {serial} />
			</li>{/each}
	</ul>
{/if}
<h2 class="mt-5">Notes</h2>
{#if alert.noted.length === 0}<p class="quiet mt-1">Nothing was noted yet.</p>{/if}
<ul class="mt-1 grid max-w-[80ch] gap-2">
	{#each alert.noted as { id, at, byWhom, words } (id)}<li class="sheet p-3">
			<p class="whitespace-pre-wrap">{words}</p>
			<p class="quiet">{byWhom}, <When {at} /></p>
		</li>{/each}
</ul>
{#if mayCare}{#key alert.noted.length}<Form action="?/note" class="mt-3 max-w-[80ch]">
			{#snippet children({ busy })}
				<input type="hidden" name="alert" value={alert.id} />
				<FormField label="Note for whoever looks next" kind="lines" name="words" maxlength={2000} required />
				<Button type="submit" size="sm" class="mt-2" color="alternative" disabled={busy}>Write it down</Button
				>
			{/snippet}
		</Form>{/key}{/if}
