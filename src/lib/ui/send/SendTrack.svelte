<script lang="ts">
	import { isOverdue, sendWords, timerEnd, type Send, type SendState, type Terms } from '$core/send';
	import { duration, Standing } from '../marks';

	/** How far a send is, step by step, with what it waits for. */
	let {
		one,
		isConnected,
		now
	}: {
		one: { readonly send: Send; readonly terms: Terms };
		isConnected: boolean;
		now: number;
	} = $props();

	const STEPS: readonly { readonly words: string; readonly during: readonly SendState[] }[] = [
		{ words: 'waits for its turn', during: ['waiting'] },
		{ words: 'loaded and checked', during: ['loading'] },
		{ words: 'put to use', during: ['committing'] },
		{ words: 'comes back', during: ['committed'] },
		{ words: 'confirmed', during: ['confirming'] }
	];
	const at = $derived(STEPS.findIndex(({ during }) => during.includes(one.send.state)));
	const rest = $derived(one.send.committedAt === null ? null : timerEnd(one.send, one.terms) - now);
	const overdue = $derived(isOverdue(one.send, now, one.terms));
</script>

<ol class="flex flex-wrap gap-x-6 gap-y-2" aria-label="How far it is">
	{#each STEPS as { words }, index (words)}
		<li aria-current={index === at ? 'step' : undefined}>
			<Standing standing={index < at ? 'online' : index === at ? 'moving' : 'open'} word={words} />
		</li>
	{/each}
</ol>
<p class="mt-3">
	{sendWords(one.send.state)}
	{#if overdue && !isConnected}
		<b>It has not come back.</b> Its timer ran out {duration(-(rest ?? 0))} ago; it should run what it ran before,
		and dial again. If it stays away, somebody has to look at it.
	{:else if rest !== null && rest > 0}
		It goes back by itself in {duration(rest)} unless it is confirmed.
	{:else if rest !== null}
		Its timer has run out; what it runs now is being found out.
	{/if}
</p>
