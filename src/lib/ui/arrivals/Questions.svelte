<script lang="ts">
	import { Button } from 'flowbite-svelte';
	import type { Diagnosis } from '$core/watch';
	import { act } from '../forms';

	/**
	 * What to ask somebody at a unit that does not come, one question at a time, and what it may be. `plain`: for whoever
	 * stands there; they are told what to do, not how likely it is.
	 */
	interface Props {
		diagnosis: Diagnosis;
		/** The action that takes an answer, and what goes with it. */
		action: string;
		fields?: Readonly<Record<string, string>>;
		plain?: boolean;
	}
	let { diagnosis, action, fields = {}, plain = false }: Props = $props();
	const best = $derived(diagnosis.suspects[0]);
	/** So much is worth an act while more is asked. */
	const told = $derived(diagnosis.question === null || (best?.probability ?? 0) >= 0.6);
</script>

<div class="questions" aria-live="polite">
	{#if diagnosis.question}
		<form method="POST" {action} use:act aria-label={diagnosis.question.words}>
			{#each Object.entries(fields) as [name, value] (name)}<input type="hidden" {name} {value} />{/each}
			{#if !plain}<input type="hidden" name="run" value={diagnosis.runId} />{/if}
			<input type="hidden" name="question" value={diagnosis.question.id} />
			<p class="font-semibold">{diagnosis.question.words}</p>
			<div class="mt-2 flex flex-wrap gap-2">
				{#each diagnosis.question.answers as one (one.value)}<Button
						type="submit"
						name="answer"
						value={one.value}
						size="sm"
						color="alternative">{one.words}</Button
					>{/each}
			</div>
		</form>
	{/if}
	{#if told && best}
		{#if plain}<p class="mt-3">{best.plain}</p>
		{:else}<p class="mt-3"><b>{best.words}</b>, most likely. {best.act}</p>{/if}
	{/if}
	{#if !plain && diagnosis.suspects.length > 0}
		<ul class="mt-3" aria-label="What it may be">
			{#each diagnosis.suspects as one (one.id)}<li>
					<span class="bar" aria-hidden="true"><span style:width="{100 * one.probability}%"></span></span>
					<span>{one.words}</span> <span class="quiet">{Math.round(100 * one.probability)} %</span>
				</li>{/each}
		</ul>
	{/if}
	{#if !plain && diagnosis.answered.length > 0}
		<ol class="quiet mt-3" aria-label="Answered so far">
			{#each diagnosis.answered as one (one.words)}<li>{one.words} <b>{one.answer}</b></li>{/each}
		</ol>
		<form method="POST" action="?/askAnew" use:act class="mt-2">
			<input type="hidden" name="run" value={diagnosis.runId} />
			<Button type="submit" size="xs" color="alternative">Start again</Button>
			{#if best && told}<Button
					type="submit"
					size="xs"
					color="alternative"
					formaction="?/settle"
					name="cause"
					value={best.id}>That was it</Button
				>{/if}
		</form>
	{/if}
</div>

<style>
	li {
		display: flex;
		align-items: center;
		gap: 0.6em;
	}
	.bar {
		flex: none;
		width: 5rem;
		height: 0.5rem;
		background: var(--hairline);
		border-radius: 0.25rem;
		overflow: hidden;
	}
	.bar span {
		display: block;
		height: 100%;
		background: var(--pine);
	}
</style>
