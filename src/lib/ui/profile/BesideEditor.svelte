<script lang="ts">
	import { FormField } from '$ui/kit';
	import { Button } from 'flowbite-svelte';
	import type { Dialect } from '$core/config';
	import {
		checkPiece,
		fileKey,
		remarksOn,
		type CarriedFile,
		type Field,
		type ProofCheck,
		type Question,
		type Scripts
	} from '$core/profile';
	import { ConfigText } from '$ui/config';
	import { TextEditor } from '$ui/edit';

	/** What a profile has beside its parts: text of its own, scripts, files and proof checks. */
	interface Written {
		texts: Partial<Record<Dialect, string>>;
		scripts: Partial<Record<Dialect, Scripts>>;
		files: CarriedFile[];
		checks: ProofCheck[];
	}
	let {
		written = $bindable(),
		dialects,
		fields,
		writing,
		revision,
		show
	}: {
		written: Written;
		/** Those that models of its role speak. */
		dialects: readonly Dialect[];
		/** What its parts declare. */
		fields: readonly Field[];
		writing: boolean;
		/** Tells revisions apart: another one begins with fresh editors. */
		revision: string;
		/** Which of it. */
		show: 'texts' | 'checks' | 'files';
	} = $props();

	let wanted = $state<Dialect | null>(null);
	const dialect = $derived(
		wanted !== null && dialects.includes(wanted) ? wanted : (dialects[0] ?? 'indented')
	);
	const MOMENTS = ['before', 'after'] as const;
	const problemsOf = (text: string) => checkPiece({ name: '', text, fields });
	const textProblems = $derived(problemsOf(written.texts[dialect] ?? ''));
	/** What a careful reader would say of everything that stands here. */
	const remarks = $derived(
		[
			...dialects.flatMap((one) => [
				{ name: `Own text, ${one}`, text: written.texts[one] ?? '' },
				...MOMENTS.map((moment) => ({
					name: `Script ${moment}, ${one}`,
					text: written.scripts[one]?.[moment] ?? ''
				}))
			]),
			...written.files.map(({ name, text }) => ({ name, text }))
		].flatMap((piece) => remarksOn({ ...piece, fields: [] }))
	);

	function setScript(moment: (typeof MOMENTS)[number], text: string) {
		const next = { ...written.scripts[dialect], [moment]: text };
		if (text === '') delete next[moment];
		if (Object.keys(next).length === 0) delete written.scripts[dialect];
		else written.scripts[dialect] = next;
	}
	function ask(check: ProofCheck, one: Dialect, part: Partial<Question>) {
		const question: Question = { command: '', expects: 'words', words: '', ...check.asks[one], ...part };
		const asks = { ...check.asks, [one]: question };
		if (question.command === '' && question.words === '') delete asks[one];
		written.checks[written.checks.indexOf(check)] = { ...check, asks };
	}
	const EXPECTS = { words: 'must say', 'none of them': 'must not say' } as const;
</script>

{#if show === 'texts'}
	<h2>Text of its own, and scripts</h2>
	<p class="quiet">Text that follows all parts, and what is run before and after the configuration.</p>
	<div class="mt-2 flex gap-2">
		{#each dialects as one (one)}<button
				type="button"
				class="tab"
				class:chosen={dialect === one}
				aria-pressed={dialect === one}
				onclick={() => (wanted = one)}>{one}{written.texts[one] || written.scripts[one] ? ' ·' : ''}</button
			>{/each}
	</div>
	{#if writing}
		{#key `${revision} ${dialect}`}
			<div class="mt-2">
				<TextEditor
					bind:text={
						() => written.texts[dialect] ?? '',
						(text) => {
							if (text === '') delete written.texts[dialect];
							else written.texts[dialect] = text;
						}
					}
					label="Own text, {dialect}"
					marks={textProblems.map(({ line, message }) => ({ line: line ?? 1, message, grave: true }))}
				/>
			</div>
		{/key}
		{#each textProblems as problem, index (index)}<p class="text-[var(--brick)]">
				Line {problem.line}, column {problem.column}: {problem.message}
			</p>{/each}
		{#each MOMENTS as moment (moment)}
			{@const script = written.scripts[dialect]?.[moment] ?? ''}
			<FormField
				label="Script {moment} the configuration"
				kind="lines"
				mono
				class="mt-2 block"
				rows={2}
				spellcheck="false"
				value={script}
				oninput={({ currentTarget }) => setScript(moment, currentTarget.value)}
			/>
			{#each problemsOf(script) as problem, index (index)}<p class="text-[var(--brick)]">
					Line {problem.line}, column {problem.column}: {problem.message}
				</p>{/each}
		{/each}
	{:else}
		{#if written.texts[dialect]}<ConfigText text={written.texts[dialect]!} label="Own text, {dialect}" />{/if}
		{#each MOMENTS as moment (moment)}
			{#if written.scripts[dialect]?.[moment]}<h3 class="mt-2 font-semibold">Script {moment}</h3>
				<ConfigText text={written.scripts[dialect]![moment]!} label="Script {moment}" />{/if}
		{/each}
		{#if !written.texts[dialect] && !written.scripts[dialect]}<p class="mt-2">
				Nothing in the {dialect} dialect.
			</p>{/if}
	{/if}
{:else if show === 'checks'}
	<h2>Proof checks</h2>
	<p class="quiet">
		What a unit is asked, besides its version and configuration, before it counts as online.
	</p>
	{#each written.checks as check, index (index)}
		<div class="sheet mt-2 p-3">
			{#if writing}
				<div class="flex flex-wrap items-end gap-3">
					<FormField
						label="What is proved"
						class="grow"
						value={check.name}
						placeholder="The hub answers"
						oninput={({ currentTarget }) => (written.checks[index] = { ...check, name: currentTarget.value })}
					/>
					<Button
						size="xs"
						color="alternative"
						onclick={() => (written.checks = written.checks.filter((one) => one !== check))}>Take out</Button
					>
				</div>
			{:else}<b>{check.name}</b>{/if}
			{#each dialects as one (one)}
				{@const question = check.asks[one]}
				{#if writing}
					<div class="ask mt-2">
						<span class="quiet">{one}</span>
						<FormField
							label="Command, {one}"
							bare
							mono
							placeholder="asked"
							value={question?.command ?? ''}
							oninput={({ currentTarget }) => ask(check, one, { command: currentTarget.value })}
							spellcheck="false"
							autocomplete="off"
						/>
						<FormField
							label="Expectation, {one}"
							bare
							kind="select"
							value={question?.expects ?? 'words'}
							onchange={({ currentTarget }) =>
								ask(check, one, { expects: currentTarget.value as Question['expects'] })}
							>{#each Object.entries(EXPECTS) as [expects, words] (expects)}<option value={expects}
									>{words}</option
								>{/each}</FormField
						>
						<FormField
							label="Words, {one}"
							bare
							mono
							placeholder="words in the answer"
							value={question?.words ?? ''}
							oninput={({ currentTarget }) => ask(check, one, { words: currentTarget.value })}
							spellcheck="false"
							autocomplete="off"
						/>
					</div>
					{#each [...problemsOf(question?.command ?? ''), ...problemsOf(question?.words ?? '')] as problem, at (at)}<p
							class="text-[var(--brick)]"
						>
							{problem.message}
						</p>{/each}
				{:else if question}<p class="mt-1">
						<span class="quiet">{one}:</span> <span class="mono">{question.command}</span>
						{EXPECTS[question.expects]} <span class="mono">{question.words}</span>
					</p>{/if}
			{/each}
		</div>
	{:else}<p class="mt-2">Only its version and its configuration are compared.</p>{/each}
	{#if writing}<p class="mt-2">
			<Button
				size="xs"
				color="alternative"
				onclick={() => (written.checks = [...written.checks, { name: '', asks: {} }])}>Add a check</Button
			>
		</p>{/if}
{:else}
	<h2>Files</h2>
	<p class="quiet">
		For units to download; the same for all. Whoever has a file’s address can read it: put no secrets in it.
	</p>
	{#each written.files as file, index (index)}
		<div class="sheet mt-2 p-3">
			{#if writing}
				<div class="flex flex-wrap items-end gap-3">
					<FormField
						label="Name"
						mono
						class="grow"
						value={file.name}
						oninput={({ currentTarget }) => (written.files[index] = { ...file, name: currentTarget.value })}
						spellcheck="false"
						autocomplete="off"
					/>
					<Button
						size="xs"
						color="alternative"
						onclick={() => (written.files = written.files.filter((one) => one !== file))}>Take out</Button
					>
				</div>
				<FormField
					label="What is in it"
					kind="lines"
					mono
					class="mt-2 block"
					rows={4}
					spellcheck="false"
					value={file.text}
					oninput={({ currentTarget }) => (written.files[index] = { ...file, text: currentTarget.value })}
				/>
			{:else}<b class="mono">{file.name}</b><ConfigText text={file.text} label={file.name} />{/if}
			{#if file.name}<p class="quiet mt-1">
					Its address, in texts and scripts: <span class="mono">{`{{ file.${fileKey(file.name)} }}`}</span>
				</p>{/if}
		</div>
	{:else}<p class="mt-2">None.</p>{/each}
	{#if writing}<p class="mt-2">
			<Button
				size="xs"
				color="alternative"
				onclick={() => (written.files = [...written.files, { name: '', text: '' }])}>Add a file</Button
			>
		</p>{/if}
{/if}
{#each remarks as remark, index (index)}<p class="mt-2 text-[var(--brick)]" role="alert">
		{remark.piece}, line {remark.line}: {remark.message}
	</p>{/each}

<style>
	.ask {
		display: grid;
		grid-template-columns: 5rem minmax(0, 2fr) 9rem minmax(0, 1.5fr);
		gap: 0.5rem;
		align-items: center;
	}
	@media (max-width: 700px) {
		.ask {
			grid-template-columns: minmax(0, 1fr);
		}
	}
</style>
