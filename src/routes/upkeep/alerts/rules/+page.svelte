<script lang="ts">
	import { untrack } from 'svelte';
	import { Button, Checkbox } from 'flowbite-svelte';
	import { page } from '$app/state';
	import { goto } from '$app/navigation';
	import { LIMITED, ruleWords, type AlertRule } from '$core/alerts';
	import { SEVERITIES } from '$core/events';
	import { figureKind, FIGURES, type Figure } from '$core/health';
	import { counted } from '$core/text';
	import { act } from '$ui/forms';
	import { Form, FormField, PageHead } from '$ui/kit';
	import { FormWords, mayDo } from '$ui/people';

	let { data, form } = $props();
	type Stated = (typeof data.rules)[number];
	/** Which one is changed; null: a new one. */
	let changed = $state<Stated | null>(null);
	let about = $state<AlertRule['about']>('figure');
	let figure = $state<(typeof LIMITED)[number]>('processor');
	let side = $state<'above' | 'below'>('above');
	let limit = $state('90');
	let back = $state('75');
	let minutes = $state('15');
	let words = $state('');
	let severity = $state('4');
	let times = $state('3');
	let days = $state('14');
	let customer = $state(untrack(() => (data.isAdministrator ? '' : (data.mine[0]?.id ?? ''))));
	const rule = $derived(
		about === 'figure'
			? { about, figure, side, limit: Number(limit), back: Number(back), minutes: Number(minutes) }
			: about === 'ending'
				? { about, days: Number(days) }
				: about !== 'said'
					? { about, minutes: Number(minutes) }
					: { about, words, severity: Number(severity), times: Number(times), minutes: Number(minutes) }
	);
	const unit = $derived(figureKind(figure as Figure).unit);
	function fill(given: AlertRule) {
		about = given.about;
		if (given.about === 'ending') days = String(given.days);
		else minutes = String(given.minutes);
		if (given.about === 'figure') {
			({ figure, side } = given);
			[limit, back] = [String(given.limit), String(given.back)];
		} else if (given.about === 'said') {
			words = given.words;
			[severity, times] = [String(given.severity), String(given.times)];
		}
	}
	untrack(() => data.tried && fill(data.tried.rule));
	function change(stated: Stated) {
		changed = stated;
		fill(stated.rule);
		customer = stated.customerId ?? '';
		document.getElementById('rule')?.scrollIntoView();
	}
	const tryIt = () =>
		void goto(`?try=${encodeURIComponent(JSON.stringify(rule))}${customer ? `&customer=${customer}` : ''}`, {
			noScroll: true,
			keepFocus: true
		});
	const mayState = $derived(data.isAdministrator || data.mine.length > 0);
	const mayChange = ({ customerId }: Stated) =>
		customerId === null ? data.isAdministrator : mayDo('edit profiles', customerId);
</script>

<PageHead title="Alert rules">
	{#snippet about()}<a href="/upkeep/events">Alerts and events</a><span
			>Nothing is told of a unit while Limen sends to it, flashes or restarts it, or while its site’s window
			is open.</span
		>{/snippet}
</PageHead>
<FormWords {form} />
<ul class="sheet mt-3" aria-label="Rules">
	{#each data.rules as stated (stated.id)}
		<li data-rule={stated.name}>
			<div class="min-w-0">
				<b>{stated.name}</b>{#if !stated.isOn}<span class="quiet">, off</span>{/if}
				<span class="quiet">{stated.customer ?? 'every customer'}</span>
				<p>{ruleWords(stated.rule)}</p>
			</div>
			<span class="flex items-center gap-3"
				>{#if stated.open > 0}<a href="/upkeep/events">{counted(stated.open, 'alert')} now</a>{/if}
				{#if mayChange(stated)}<Button size="xs" color="alternative" onclick={() => change(stated)}
						>Change</Button
					>
					<form method="POST" action="?/drop" use:act>
						<input type="hidden" name="id" value={stated.id} />
						<Button type="submit" size="xs" color="alternative">Remove</Button>
					</form>{/if}</span
			>
		</li>
	{:else}<li class="quiet">Nothing is told by rule.</li>{/each}
</ul>

{#if mayState}
	<h2 id="rule" class="mt-6">{changed ? `Change “${changed.name}”` : 'Another rule'}</h2>
	{#key changed?.id ?? data.rules.length}<Form action="?/save" class="sheet mt-2 max-w-4xl p-4" casual>
			{#snippet children({ busy })}
				<input type="hidden" name="id" value={changed?.id ?? ''} />
				<input type="hidden" name="edit" value={changed?.edit ?? 0} />
				<input type="hidden" name="rule" value={JSON.stringify(rule)} />
				<div class="flex flex-wrap items-end gap-3">
					<FormField
						label="Name"
						name="name"
						stored={changed?.name ?? ''}
						maxlength={120}
						required
						class="min-w-52"
					/>
					{#if !changed}<FormField label="Of" kind="select" name="customer" bind:value={customer}>
							{#if data.isAdministrator}<option value="">every customer</option>{/if}
							{#each data.mine as { id, name } (id)}<option value={id}>{name}</option>{/each}
						</FormField>{/if}
					<FormField label="About" kind="select" name="about" bind:value={about}>
						<option value="figure">a figure past a limit</option>
						<option value="not heard">a unit that is not heard</option>
						<option value="said">what units say</option>
						<option value="late">a step that is late</option>
						<option value="drift">a unit that runs something else</option>
						<option value="ending">a voucher that ends</option>
					</FormField>
				</div>
				<div class="mt-3 flex flex-wrap items-end gap-3">
					{#if about === 'figure'}
						<FormField label="Figure" kind="select" name="figure" bind:value={figure}>
							{#each LIMITED as one (one)}<option value={one}>{FIGURES[one].words}</option>{/each}
						</FormField>
						<FormField label="Is" kind="select" name="side" bind:value={side}>
							<option value="above">above</option><option value="below">below</option>
						</FormField>
						<FormField
							label="Limit{unit ? `, ${unit}` : ''}"
							name="limit"
							kind="number"
							step="any"
							bind:value={limit}
							class="w-36"
						/>
						<FormField
							label="Over once back at"
							name="back"
							kind="number"
							step="any"
							bind:value={back}
							class="w-36"
						/>
					{:else if about === 'said'}
						<FormField
							label="With these words"
							name="words"
							bind:value={words}
							maxlength={200}
							class="min-w-52"
						/>
						<FormField label="Severity at least" kind="select" name="severity" bind:value={severity}>
							{#each SEVERITIES as word, index (word)}<option value={String(index)}>{word}</option>{/each}
						</FormField>
						<FormField label="Times" name="times" kind="number" min="1" bind:value={times} class="w-28" />
					{/if}
					{#if about === 'ending'}<FormField
							label="Within, days"
							name="days"
							kind="number"
							min="1"
							bind:value={days}
							class="w-36"
						/>
					{:else}<FormField
							label={about === 'said' ? 'Within, minutes' : 'For, minutes'}
							name="minutes"
							kind="number"
							min="1"
							bind:value={minutes}
							class="w-36"
						/>{/if}
				</div>
				<div class="mt-3">
					<Checkbox name="on" checked={changed?.isOn ?? true}>On: it raises alerts</Checkbox>
				</div>
				<div class="mt-4 flex flex-wrap gap-3">
					<Button type="submit" size="sm" disabled={busy}
						>{changed ? 'Change the rule' : 'Add the rule'}</Button
					>
					<Button size="sm" color="alternative" onclick={tryIt}>Try it on the last week</Button>
					{#if changed}<Button size="sm" color="alternative" onclick={() => (changed = null)}
							>Another one instead</Button
						>{/if}
				</div>
			{/snippet}
		</Form>{/key}
	{#if data.tried && page.url.searchParams.has('try')}
		<section class="sheet mt-3 max-w-4xl p-4" aria-label="In the last week" aria-live="polite">
			<p>
				<b>{ruleWords(data.tried.rule)}</b>:
				{#if data.tried.times === 0}would have told of nothing.{:else}would have told {counted(
						data.tried.times,
						'time'
					)}, of {counted(data.tried.units, 'unit')}.{/if}
			</p>
			{#if data.tried.isByHour}<p class="quiet">
					Of the days whose readings are gone, by what each hour came to.
				</p>{/if}
			<ul class="mt-1">
				{#each data.tried.most as { unitId, where, times: often } (unitId)}<li>
						<a href="/units/{unitId}/health?span=week">{where}</a>
						<span class="quiet">{counted(often, 'time')}</span>
					</li>{/each}
			</ul>
		</section>
	{/if}
{/if}

<style>
	li[data-rule] {
		display: flex;
		justify-content: space-between;
		gap: 0.3rem 1.2rem;
		flex-wrap: wrap;
	}
</style>
