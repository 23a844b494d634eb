<script lang="ts">
	import { onMount, untrack } from 'svelte';
	import {
		Button,
		Checkbox,
		TableBody,
		TableBodyCell,
		TableBodyRow,
		TableHead,
		TableHeadCell
	} from 'flowbite-svelte';
	import {
		bringsConfiguration,
		fewestFailures,
		kindDone,
		rolloutRulesSchema,
		USUAL_RULES,
		type RolloutAhead,
		type RolloutKind,
		type RolloutPlan,
		type RolloutRules
	} from '$core/rollout';
	import { counted } from '$core/text';
	import * as v from 'valibot';
	import { Form, FormField, Notice, Table } from '../kit';
	import { exactly, momentOf } from '../marks';
	import CourseDrawing from './CourseDrawing.svelte';
	import { Planner } from './planner';
	import WaveCuts from './WaveCuts.svelte';

	let {
		ahead,
		title,
		kind,
		mayBegin
	}: { ahead: RolloutAhead; title: string; kind: RolloutKind; mayBegin: boolean } = $props();

	let name = $state(untrack(() => title));
	const usual = USUAL_RULES;
	/** Of few units not all at once: what the first ones show comes before the last ones begin. */
	let all = $state<string | number>(
		untrack(() => Math.min(usual.limits.all, Math.max(1, Math.ceil(ahead.inputs.items.length / 4))))
	);
	let perCustomer = $state<string | number>(usual.limits.perCustomer);
	let perSite = $state<string | number>(usual.limits.perSite);
	let frontsLast = $state(usual.limits.frontsLast);
	let growth = $state<string | number>(usual.waves.growth);
	let sizes = $state('');
	let allowed = $state<string | number>(usual.stop.allowed * 100);
	let byModel = $state(usual.stop.byModel);

	const rules = $derived.by((): RolloutRules | null => {
		const given =
			sizes.trim() === ''
				? null
				: sizes
						.split(/[\s,;]+/)
						.filter(Boolean)
						.map(Number);
		const read = v.safeParse(rolloutRulesSchema, {
			limits: { all: Number(all), perCustomer: Number(perCustomer), perSite: Number(perSite), frontsLast },
			waves: { growth: Number(growth), sizes: given },
			stop: { allowed: Number(allowed) / 100, byModel }
		});
		return read.success ? read.output : null;
	});
	let plan = $state.raw<RolloutPlan | null>(null);
	let planner: Planner | undefined;
	let now = $state(0);
	onMount(() => {
		now = Date.now();
		planner = new Planner(ahead.inputs, (computed) => (plan = computed));
		if (rules) planner.plan(rules, now);
		return () => planner?.end();
	});
	$effect(() => {
		if (rules && now > 0) planner?.plan(rules, now);
	});

	const MOST_NAMED = 12;
	const models = $derived(new Set(ahead.inputs.items.map(({ model }) => model)).size);
	const without = $derived(plan?.course.units.filter(({ during }) => during === null).length ?? 0);
	const mostAtOneSite = $derived(Math.max(0, ...(plan?.course.interruptions.values() ?? [])));
	const stanceWords = (stance: string | null) => stance || 'as stated further out';
	const percent = (share: number) => `${(share * 100).toFixed(share < 0.1 ? 1 : 0)} %`;
</script>

<p class="mt-3 max-w-prose">
	{counted(ahead.inputs.items.length, 'unit')} at {counted(ahead.sites, 'site')}{ahead.customers > 1
		? ` of ${ahead.customers} customers`
		: ''}
	{ahead.inputs.items.length === 1 ? 'is' : 'are'}
	{kindDone(kind)}. Nothing has begun yet: look, change the limits, then begin.
</p>
{#if ahead.away > 0}<Notice kind="careful" class="mt-2"
		>{counted(ahead.away, 'unit')}
		{ahead.away === 1 ? 'is' : 'are'} not connected, or {ahead.away === 1 ? 'has' : 'have'} no window in the next
		four weeks. They wait for that until then and hold nobody up.</Notice
	>{/if}
{#if ahead.drifted > 0 && bringsConfiguration(kind)}<Notice kind="careful" class="mt-2"
		>{counted(ahead.drifted, 'unit')}
		{ahead.drifted === 1 ? 'runs' : 'run'} something else than intended: what is sent takes its place.</Notice
	>{/if}

<div class="two mt-4">
	<section aria-label="The course" aria-busy={plan === null ? 'true' : undefined}>
		<h2>How it would go</h2>
		{#if plan}
			<p data-testid="summary">
				{counted(plan.course.units.length - without, 'unit')} in {counted(plan.waves.length, 'wave')}, {counted(
					plan.course.spells,
					'spell'
				)} of work{#if plan.course.until}, done <b title={exactly(new Date(plan.course.until), 'UTC')}
						>{momentOf(new Date(plan.course.until))}</b
					>{/if}.
				{#if without > 0}<b
						>{counted(without, 'unit')} {without === 1 ? 'has' : 'have'} no window that is long enough.</b
					>{/if}
				{#if mostAtOneSite > 1}No site is interrupted more than {mostAtOneSite} times.{/if}
			</p>
			<div class="mt-2"><CourseDrawing {plan} /></div>
			{#if plan.course.units.length > 1}<WaveCuts
					sizes={plan.waves.map(({ length }) => length)}
					onchange={(wanted) => (sizes = wanted.join(', '))}
				/>{/if}
			<Table classes={{ div: 'mt-3' }}>
				<TableHead
					><TableHeadCell>Wave</TableHeadCell><TableHeadCell>Units</TableHeadCell><TableHeadCell
						>Begins</TableHeadCell
					><TableHeadCell>Done</TableHeadCell></TableHead
				>
				<TableBody>
					{#each plan.waves as wave, at (at)}
						{@const span = plan.course.waves[at]}
						<TableBodyRow data-wave={at}
							><TableBodyCell
								>{at + 1}{#if at === 0 && plan.waves.length > 1}<span class="quiet"
										>: each model, firmware, uplink and customer once</span
									>{/if}</TableBodyCell
							><TableBodyCell>{wave.length}</TableBodyCell>{#if span}<TableBodyCell
									>{momentOf(new Date(span.from))}</TableBodyCell
								><TableBodyCell>{momentOf(new Date(span.until))}</TableBodyCell>{:else}<TableBodyCell
									colspan={2}>no window</TableBodyCell
								>{/if}</TableBodyRow
						>
					{/each}
				</TableBody>
			</Table>
			<p class="quiet mt-2">
				It stops at the earliest after {fewestFailures({ allowed: Number(allowed) / 100, byModel, models })} failures.
				{#if plan.missing > 0.05}<b
						>A rollout this small misses a change that fails at {percent(
							Math.min(1, (Number(allowed) / 100) * 2)
						)} of units {percent(plan.missing)} of the time.</b
					>{:else}If {percent(Math.min(1, (Number(allowed) / 100) * 2))} failed it would be missed {percent(
						plan.missing
					)} of the time.{/if}
			</p>
		{:else if rules === null}<p class="quiet">Mend the limits first.</p>
		{:else}<p class="quiet">Being computed …</p>{/if}
		<h3 class="mt-4">{kind === 'restart' ? 'Which units' : 'What changes'}</h3>
		{#if kind === 'secret'}<p class="mt-1">
				{#if ahead.renews.length === 0}Each is brought to Limen’s new key, and no longer lets the one before
					in.{:else}
					{#each ahead.renews.slice(0, MOST_NAMED) as one, at (at)}{at > 0 ? ', ' : ''}<span class="mono"
							>{one.name}</span
						>{one.isTunnel
							? ' at both ends together'
							: ` at ${counted(one.units, 'unit')}`}{/each}{#if ahead.renews.length > MOST_NAMED}
						and {ahead.renews.length - MOST_NAMED} more{/if}.
				{/if} The one before is kept until the new one is proved.
			</p>{/if}
		<ul class="mt-1">
			{#each ahead.changes as change (`${change.model} ${change.from} ${change.to}`)}<li>
					{counted(change.units, change.model, change.model)}{#if kind === 'stance'}: {stanceWords(
							change.from
						)} → {stanceWords(change.to)}{:else if change.to}: <span class="mono"
							>{change.from || '?'} → {change.to}</span
						>{/if}
				</li>{/each}
		</ul>
	</section>
	<Form action="?/begin" casual class="sheet p-4">
		{#snippet children({ busy })}
			<FormField label="Title" name="title" bind:value={name} required maxlength={200} />
			{#if mayBegin}<div class="mt-3 flex flex-wrap gap-2">
					<Button type="submit" disabled={busy || rules === null}>Begin</Button>
				</div>{:else}<p class="quiet mt-3">Who may send to all of these units may begin it.</p>{/if}
			<fieldset class="mt-4 grid gap-2">
				<legend>At the same time, at most</legend>
				<FormField label="In all" kind="number" min="1" max="2000" bind:value={all} />
				<FormField label="For each customer" kind="number" min="1" max="2000" bind:value={perCustomer} />
				<FormField label="At each site" kind="number" min="1" max="100" bind:value={perSite} />
				<Checkbox bind:checked={frontsLast}>Gateways and routers after what hangs on them</Checkbox>
			</fieldset>
			<fieldset class="mt-3 grid gap-2">
				<legend>Waves</legend>
				<FormField
					label="Each larger by this factor"
					kind="number"
					min="1"
					max="100"
					step="0.5"
					bind:value={growth}
				/>
				<FormField
					label="Or their sizes"
					bind:value={sizes}
					hint="Such as 5, 20, 100; what is left comes last."
				/>
			</fieldset>
			<fieldset class="mt-3 grid gap-2">
				<legend>Stop</legend>
				<FormField
					label="Allowed failures, in %"
					kind="number"
					min="0.5"
					max="50"
					step="0.5"
					bind:value={allowed}
				/>
				<Checkbox bind:checked={byModel}>A model that fails in one way stops alone</Checkbox>
			</fieldset>
			<input type="hidden" name="rules" value={JSON.stringify(rules)} />
			<input type="hidden" name="units" value={ahead.inputs.items.length} />
		{/snippet}
	</Form>
</div>

<style>
	legend {
		font-weight: 600;
	}
</style>
