<script lang="ts">
	import { onMount } from 'svelte';
	import { Button } from 'flowbite-svelte';
	import { bringsConfiguration } from '$core/rollout';
	import { act } from '$ui/forms';
	import { MenuLink, Notice, PageHead } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { Standing, When } from '$ui/marks';
	import { FormWords, mayDo } from '$ui/people';
	import { LookAtMany } from '$ui/send';
	import { PlanRollout, RolloutBoard, STATES } from '$ui/rollout';

	let { data, form } = $props();
	const rollout = $derived(data.rollout);
	const isOpen = $derived(rollout.state !== 'planned' && rollout.state !== 'ended');
	onMount(() => refreshOn(['rollouts', 'sends', 'work'], { rest: 1000 }));
	const mayAct = $derived(mayDo('send', rollout.customerId));
	const canGoBack = $derived(
		!['restart', 'secret'].includes(rollout.kind) && rollout.done + rollout.failed > 0
	);
</script>

<PageHead title={rollout.title}>
	{#snippet state()}<Standing standing={STATES[rollout.state][0]} word={STATES[rollout.state][1]} />{/snippet}
	{#snippet acts()}
		{#if mayAct && rollout.state === 'planned'}<form
				method="POST"
				action="?/throwAway"
				use:act
				class="contents"
			>
				<Button type="submit" size="sm" color="alternative">Throw the plan away</Button>
			</form>{/if}
		{#if mayAct && isOpen}<form method="POST" use:act class="contents">
				{#if rollout.state === 'under way'}<Button type="submit" formaction="?/pause" size="sm">Pause</Button>
				{:else}<Button type="submit" formaction="?/goOn" size="sm">Go on</Button>{/if}
				<Button type="submit" formaction="?/end" size="sm" color="alternative">End it</Button>
			</form>{/if}
		{#if mayAct && canGoBack && !(rollout.state === 'under way')}<form
				method="POST"
				action="?/back"
				use:act
				class="contents"
			>
				<Button type="submit" size="sm" color="alternative">Plan to go back</Button>
			</form>{/if}
	{/snippet}
	{#snippet more()}
		<MenuLink href="/arrivals/rollouts">All rollouts</MenuLink>
		<MenuLink href="/records?thing={rollout.id}">Records of it</MenuLink>
		<MenuLink href="/arrivals/rollouts/{rollout.id}/file?as=pdf" download data-sveltekit-reload
			>What came of it (PDF)</MenuLink
		>
		<MenuLink href="/arrivals/rollouts/{rollout.id}/file" download data-sveltekit-reload
			>Its units, CSV</MenuLink
		>
		<MenuLink href="/arrivals/rollouts/{rollout.id}/file?as=xlsx" download data-sveltekit-reload
			>Its units, XLSX</MenuLink
		>
	{/snippet}
	{#snippet about()}<a href="/arrivals/rollouts">Rollouts</a><span
			>by {rollout.actor}, {#if rollout.endedAt}over <When
					at={rollout.endedAt}
				/>{:else if rollout.begunAt}begun <When at={rollout.begunAt} />{:else}planned <When
					at={rollout.plannedAt}
				/>{/if}{#if rollout.reason}: {rollout.reason}{/if}</span
		>{#if rollout.cohort}<span
				>for the cohort “{rollout.cohort}”{rollout.joins ? ', and units that come into it join' : ''}</span
			>{/if}{#if rollout.backOf}<a href="/arrivals/rollouts/{rollout.backOf}">what it takes back</a
			>{/if}{/snippet}
</PageHead>
<FormWords {form} />

{#if data.ahead}
	{#if rollout.words}<Notice kind="careful" class="mt-3">{rollout.words}</Notice>{/if}
	{#key rollout.id}<PlanRollout
			ahead={data.ahead}
			title={rollout.title}
			kind={rollout.kind}
			mayBegin={mayAct}
		/>{/key}
	{#if bringsConfiguration(rollout.kind) && mayAct}<section class="mt-5" aria-labelledby="told">
			<h2 id="told">What each unit is told</h2>
			<LookAtMany looked={data.looked} />
		</section>{/if}
{:else}
	<RolloutBoard {rollout} waves={data.waves} items={data.items} alike={data.alike} {mayAct} />
{/if}
