<script lang="ts">
	import { Button } from 'flowbite-svelte';
	import type { LearntChoice, ShownField, ShownLearnt } from '$core/takeon';
	import { counted } from '$core/text';
	import { ConfigText } from '../config';
	import { act } from '../forms';
	import { Dialog, Form, FormField, Notice } from '../kit';
	import ChangeField from './ChangeField.svelte';
	import LearntFields from './LearntFields.svelte';

	/** A profile that was learnt from units that are alike: how far it describes them, its fields, its text, and what is to be looked at. */
	interface Props {
		name: string;
		group: {
			readonly id: string;
			readonly dialect: string;
			readonly problems: readonly string[];
			readonly holds: number;
			readonly profileId: string | null;
			readonly profile: string | null;
			readonly isReleased: boolean;
		};
		choices: readonly LearntChoice[];
		learnt: ShownLearnt;
		units: readonly { readonly id: string; readonly name: string; readonly ofProfile: string }[];
		roles: readonly { readonly value: string; readonly name: string }[];
		mayAct: boolean;
		isLearning: boolean;
	}
	let { name, group, choices, learnt, units, roles, mayAct, isLearning }: Props = $props();

	const names = $derived(new Map(units.map((unit) => [unit.id, unit.name])));
	const named = (ids: readonly string[]) => ids.map((id) => names.get(id) ?? '?').join(', ');
	const share = $derived(Math.round((learnt.length.after / Math.max(1, learnt.length.before)) * 100));
	const all = $derived(learnt.proofs.length);
	const mayChange = $derived(mayAct && group.profileId === null);
	/** The profiles that what was learnt stands for. */
	const copied = $derived(
		[
			...new Set(learnt.proofs.flatMap(({ id }) => units.find((unit) => unit.id === id)?.ofProfile || []))
		].sort()
	);
	let changing = $state.raw<ShownField | null>(null);
	let isMaking = $state(false);
</script>

<section aria-label="What was learnt from {name}">
	<h2>{name}</h2>
	<p class="mt-1">
		{#if group.holds === all}All {all === 1 ? 'of it' : `${all}`} proved: the profile with its values gives just
			what {all === 1 ? 'it runs' : 'each runs'}.{:else}<b>{group.holds} of {all} proved</b>; what is not
			equal is told below.{/if}
		<span class="quiet"
			>Text, fields and values are {share} % of what they run ({learnt.length.after.toLocaleString('en')} of
			{learnt.length.before.toLocaleString('en')} characters).</span
		>
	</p>
	{#if copied.length > 1}<p class="mt-1">
			<b>{copied.length} profiles are one with {counted(learnt.fields.length, 'field')}</b>: {copied.join(
				', '
			)}.
		</p>{/if}
	{#each group.problems as problem (problem)}<Notice kind="careful" class="mt-2">{problem}</Notice>{/each}
	<div class="mt-2 flex flex-wrap items-center gap-2">
		{#if group.profileId}
			<span
				>Its profile is <a href="/profiles/{group.profileId}">{group.profile}</a>{#if !group.isReleased},
					which is not released yet{/if}.</span
			>
			{#if !group.isReleased}<Button href="/profiles/{group.profileId}/release" size="xs">Release it</Button
				>{/if}
		{:else if mayAct}
			<Button size="sm" onclick={() => (isMaking = true)} disabled={isLearning}>Make the profile</Button>
			{#if choices.length > 0}<form method="POST" action="?/undo" use:act class="contents">
					<input type="hidden" name="group" value={group.id} />
					<Button type="submit" size="sm" color="alternative">Take the last change back</Button>
				</form>
				<span class="quiet">{counted(choices.length, 'change')} made to it</span>{/if}
		{/if}
	</div>

	{#if learnt.questions.length > 0}
		<h3 class="mt-4">A value, or a mistake?</h3>
		<ul class="sheet mt-1">
			{#each learnt.questions as one, at (at)}<li>
					<b>{named(one.units)}</b>
					{#if one.kind === 'other value'}{one.units.length === 1 ? 'has' : 'have'} another
						<span class="mono">{one.field}</span> than all others, which have
						<span class="mono">{one.usual || 'theirs'}</span>{:else if one.kind === 'only here'}alone
						{one.units.length === 1 ? 'has' : 'have'} <span class="mono">{one.path}</span>{:else}{one.units
							.length === 1
							? 'lacks'
							: 'lack'} <span class="mono">{one.path}</span>, which all others have{/if}
				</li>{/each}
		</ul>
	{/if}

	{#if learnt.parts.length > 0}
		<h3 class="mt-4">Said by parts of the library</h3>
		<ul class="sheet mt-1">
			{#each learnt.parts as part (part.id)}<li class="flex flex-wrap items-baseline gap-x-3">
					<b>{part.name}</b><span>{counted(part.statements, 'statement')}</span>
					{#if part.given.length > 0}<span class="quiet"
							>{part.given
								.map(({ name, value }) => (value === null ? `${name} of each` : `${name} ${value}`))
								.join(', ')}</span
						>{/if}
					{#if mayChange}<form method="POST" action="?/choose" use:act class="ml-auto">
							<input type="hidden" name="group" value={group.id} />
							<input
								type="hidden"
								name="choice"
								value={JSON.stringify({ kind: 'write out', part: part.id } satisfies LearntChoice)}
							/>
							<Button type="submit" size="xs" color="alternative">Write it out instead</Button>
						</form>{/if}
				</li>{/each}
		</ul>
	{/if}

	<h3 class="mt-4">Fields</h3>
	{#if learnt.fields.length === 0}<p class="quiet">
			None: all else that they run is the same.
		</p>{:else}<LearntFields
			fields={learnt.fields}
			units={all}
			onchange={mayChange ? (field) => (changing = field) : null}
		/>{/if}

	<h3 class="mt-4">Text</h3>
	<ConfigText text={learnt.text} label="The text of the profile" />
</section>

{#if changing}<ChangeField
		group={group.id}
		field={changing}
		fields={learnt.fields}
		onclose={() => (changing = null)}
	/>{/if}

<Dialog bind:open={isMaking} title="Make the profile">
	<Form action="?/profile" casual>
		{#snippet children({ busy })}
			<input type="hidden" name="group" value={group.id} />
			<FormField label="Name" name="name" required maxlength={120} autocomplete="off" />
			<FormField label="For positions that are a" name="role" kind="select" items={roles} />
			<p class="quiet mt-2">
				Its text is a part of its own, which nobody else is offered before somebody puts it into the library.
				What comes next is its release.
			</p>
			<Button type="submit" size="sm" disabled={busy} class="mt-3">Make it</Button>
		{/snippet}
	</Form>
</Dialog>
