<script lang="ts">
	import { onMount } from 'svelte';
	import { Button, Checkbox } from 'flowbite-svelte';
	import { page } from '$app/state';
	import { counted } from '$core/text';
	import { act } from '$ui/forms';
	import { Form, FormField, MenuAct, MenuLink, Notice, PageHead } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { Standing, When } from '$ui/marks';
	import { FormWords, mayDo } from '$ui/people';
	import { LearntGroup, TakeOnControl, TakeOnUnits } from '$ui/takeon';

	let { data, form } = $props();
	const takeOn = $derived(data.takeOn);
	const isOpen = $derived(takeOn.endedAt === null);
	const isLearning = $derived(isOpen && takeOn.learnt !== takeOn.wanted);
	onMount(() =>
		refreshOn(['take-ons', 'profiles', 'work', 'drift', 'units'], {
			// What its units do is told all the time
			rest: data.controlled.length > 0 ? 3_000 : 500
		})
	);
	const mayAct = $derived(isOpen && mayDo('edit profiles') && mayDo('plan sites', takeOn.customerId));
	const ready = $derived(
		data.units.filter(
			({ positionId, groupId }) =>
				positionId === null && data.groups.some((group) => group.id === groupId && group.isReleased)
		).length
	);
	const chosen = $derived(data.groups.findIndex(({ id }) => id === data.chosen?.id));
	const unread = $derived(data.units.filter(({ unread: why }) => why !== ''));
	/** What all of its models can be; every role, where none is known. */
	const rolesOf = (group: (typeof data.groups)[number]) => {
		const models = [
			...new Set(
				data.units.flatMap(({ groupId, modelId }) =>
					groupId === group.id && modelId !== null ? [modelId] : []
				)
			)
		];
		const fitting = data.roles.filter(({ models: own }) => models.every((model) => own.includes(model)));
		return fitting.length > 0 ? fitting : data.roles;
	};
	const groupName = (group: (typeof data.groups)[number]) => {
		const own = data.units.filter(({ groupId }) => groupId === group.id);
		const models = [...new Set(own.map(({ model }) => model))];
		return `${own.length} × ${models.join(', ')}`;
	};
</script>

<PageHead title={takeOn.name}>
	{#snippet state()}<span class="flex flex-wrap items-baseline gap-x-4"
			>{#if !isOpen}<Standing standing="retired" word="over" />{:else if isLearning}<Standing
					standing="moving"
					word="being learnt"
				/>{/if}{#if takeOn.units > 0}<Standing
					standing={takeOn.placed > 0 ? 'through' : 'open'}
					word="{takeOn.placed} of {takeOn.units} in the plan"
				/>{/if}</span
		>{/snippet}
	{#snippet more()}
		<MenuLink href="{page.url.pathname}/report">What became of each, as CSV</MenuLink>
		<MenuLink href="{page.url.pathname}/report?as=xlsx">The same as XLSX</MenuLink>
		<MenuLink href="/records?thing={takeOn.id}">Records of it</MenuLink>
		{#if mayAct}<MenuAct action="?/end">End it, and forget what was brought</MenuAct>{/if}
	{/snippet}
	{#snippet about()}<a href="/profiles/takeon">Take on</a><span
			>{takeOn.customer}, begun by {takeOn.byWhom} <When at={takeOn.begunAt} /></span
		>{/snippet}
</PageHead>
<FormWords {form} />
{#if takeOn.problem}<Notice kind="careful" class="mt-2"
		>It could not be learnt: {takeOn.problem} Leave units out, or learn from fewer at once.</Notice
	>{/if}

<div class="two mt-4" class:alone={!mayAct}>
	<div class="min-w-0">
		{#if data.controlled.length > 0}
			<TakeOnControl
				units={data.controlled}
				withoutWayIn={data.withoutWayIn}
				customerId={takeOn.customerId}
				oldWayDays={data.oldWayDays}
			/>
		{/if}
		{#if data.units.length === 0}
			<p class="sheet p-6">
				{isOpen
					? 'Bring the configurations of units that belong together. Those that are alike become one profile; nothing is sent, and nothing is planned, before you say so.'
					: 'Nothing was taken on.'}
			</p>
		{:else if data.groups.length === 0}
			<p class="sheet p-6">{isLearning ? 'It is being learnt …' : 'None of them could be read.'}</p>
		{/if}
		{#if data.groups.length > 1}<nav
				class="mb-3 flex flex-wrap gap-x-4"
				aria-label="Groups of units that are alike"
			>
				{#each data.groups as group, at (group.id)}<a
						href="?group={at + 1}"
						aria-current={at === chosen ? 'true' : undefined}
						>{groupName(group)}{#if group.profile}<span class="quiet">: {group.profile}</span>{/if}</a
					>{/each}
			</nav>{/if}
		{#if data.chosen && data.groups[chosen]}
			{#key data.chosen.id}<LearntGroup
					name={groupName(data.groups[chosen])}
					group={data.groups[chosen]}
					choices={data.chosen.choices}
					learnt={data.chosen.learnt}
					units={data.units}
					roles={rolesOf(data.groups[chosen])}
					{mayAct}
					{isLearning}
				/>{/key}
		{/if}
		{#if data.units.length > 0}
			<TakeOnUnits units={data.units} groups={data.groups} learnt={data.chosen?.learnt} {mayAct} />
		{/if}
	</div>
	{#if mayAct}<div class="grid gap-4">
			{#if ready > 0}<form method="POST" action="?/takeOn" use:act class="sheet p-4">
					<h2>Into the plan</h2>
					<p class="mt-1">
						{counted(ready, 'unit')}
						{ready === 1 ? 'waits' : 'wait'}: each gets its site, its position, its values and what is its
						own. Nothing is sent; new sites are watched.
					</p>
					<FormField
						class="mt-3"
						label="Time zone of new sites"
						name="timeZone"
						stored={data.timeZone}
						required
					/>
					<Button type="submit" size="sm" class="mt-2" disabled={isLearning}
						>Take {ready === 1 ? 'it' : `all ${ready}`} on</Button
					>
				</form>{/if}
			<Form action="?/bring" casual class="sheet p-4" enctype="multipart/form-data">
				{#snippet children({ busy })}
					<h2>Bring configurations</h2>
					<FormField class="mt-2" label="Files, one for each unit" name="file" kind="file" multiple />
					<p class="quiet">
						Up to 4 MB at a time. A file of the same name takes the place of the one before.
					</p>
					<FormField class="mt-3" label="Or paste one" name="text" kind="lines" rows={5} mono />
					<FormField class="mt-3" label="What is it called?" name="name" maxlength={120} autocomplete="off" />
					<FormField
						class="mt-3"
						label="Model"
						name="model"
						kind="select"
						items={data.models}
						none="found by what they say"
					/>
					<Button
						type="submit"
						size="sm"
						disabled={busy}
						color={data.units.length > 0 ? 'alternative' : 'primary'}
						class="mt-2">Bring them</Button
					>
				{/snippet}
			</Form>
			<Form action="?/units" casual class="sheet p-4">
				{#snippet children({ busy })}
					<h2>Or units that Limen reads</h2>
					<FormField
						class="mt-2"
						label="Serial numbers"
						name="serials"
						kind="lines"
						rows={2}
						mono
						required
						hint="With what they ran when they were read last."
					/>
					<Button type="submit" size="sm" disabled={busy} color="alternative" class="mt-2"
						>Bring these units</Button
					>
				{/snippet}
			</Form>
			{#if data.followed.length > 0}<Form action="?/profiles" casual class="sheet p-4">
					{#snippet children({ busy })}
						<h2>Or profiles that were copied</h2>
						<p class="quiet">
							What {takeOn.customer}’s positions are given by these is learnt from: several become one, and
							what each position is given stays the same.
						</p>
						<ul class="mt-2">
							{#each data.followed as profile (profile.id)}<li>
									<Checkbox name="profile" value={profile.id}
										>{profile.name}<span class="quiet ml-1">{counted(profile.positions, 'position')}</span
										></Checkbox
									>
								</li>{/each}
						</ul>
						<Button type="submit" size="sm" disabled={busy} color="alternative" class="mt-2"
							>Learn from these</Button
						>
					{/snippet}
				</Form>{/if}
			{#if unread.length > 0}<form method="POST" action="?/model" use:act class="sheet p-4">
					<h2>Not read</h2>
					<ul class="mt-1">
						{#each unread as one (one.id)}<li>
								<b>{one.name}</b>: {one.unread}<input type="hidden" name="unit" value={one.id} />
							</li>{/each}
					</ul>
					<FormField label="They are" name="model" kind="select" items={data.models} />
					<Button type="submit" size="xs" color="alternative" class="mt-2">Read them as that</Button>
					<Button type="submit" size="xs" color="alternative" class="mt-2" formaction="?/leave"
						>Leave them out</Button
					>
				</form>{/if}
		</div>{/if}
</div>

<style>
	.two.alone {
		--columns: minmax(0, 1fr);
	}
</style>
