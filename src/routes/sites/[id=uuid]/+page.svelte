<script lang="ts">
	import { onMount, tick, untrack } from 'svelte';
	import { Button } from 'flowbite-svelte';
	import { enhance } from '$app/forms';
	import { goto } from '$app/navigation';
	import { checkPhrase } from '$core/onboarding';
	import { BindAnyway, RunActions, Track, UnitPicker } from '$ui/arrivals';
	import { refreshOn } from '$ui/live';
	import { clock, duration, Serial, siteHour, siteTime, Standing, When } from '$ui/marks';
	import { FormWords, mayDo, RecordsOf } from '$ui/people';
	import { Differences, SiteForm } from '$ui/plan';
	import { PositionPreview } from '$ui/profile';
	import { SiteMap } from '$ui/charts';

	let { data, form } = $props();
	onMount(() => refreshOn(['runs', 'units', 'plan', 'callers']));

	const site = $derived(data.site);
	const chosen = $derived(data.chosen);
	const mayPlan = $derived(mayDo('plan sites', site.customerId));
	const isBare = $derived(data.positions.length === 0);
	let planning = $state(untrack(() => isBare));
	$effect(() => {
		if (isBare) planning = true;
	});
	/** The unit that is being dragged to a position, and the pair that a drop makes. */
	let dragged = $state<string | null>(null);
	let dropped = $state({ unit: '', position: '' });
	let dropForm: HTMLFormElement | undefined = $state();
	async function drop(position: string) {
		if (dragged === null) return;
		dropped = { unit: dragged, position };
		dragged = null;
		await tick();
		dropForm?.requestSubmit();
	}
	const MISSING_SHOWN = 6;
	const stands = {
		open: 'no unit',
		waiting: 'not heard yet',
		moving: '',
		slow: '',
		stuck: '',
		online: 'online'
	} as const;
</script>

<svelte:head><title>{site.name} · Limen</title></svelte:head>
<div class="flex flex-wrap items-baseline gap-x-5">
	<h1>{site.name}</h1>
	<Standing
		standing={data.standing.word}
		word={data.standing.word === 'online'
			? 'online'
			: data.standing.word === 'open'
				? 'no units bound'
				: data.standing.word}
	/>
	<span class="quiet"
		>{data.standing.online} of {data.standing.positions} positions online · {site.customerName}</span
	>
</div>
<div class="mt-1 flex flex-wrap gap-x-5">
	<RecordsOf what="this site" text={site.name} customerId={site.customerId} />
	{#if mayDo('bind', site.customerId)}<a href="/day?site={site.id}#{site.id}">Work here with a phone</a>{/if}
	{#if mayDo('bind', site.customerId)}
		<form method="POST" action="/sites/cards" target="_blank">
			<input type="hidden" name="site" value={site.id} />
			<button class="link">Card for people on site</button>
		</form>
		{#if data.positions.length > 0}<form method="POST" action="/labels" target="_blank">
				{#each data.positions as position (position.id)}<input
						type="hidden"
						name="position"
						value={position.id}
					/>{/each}
				<button class="link">Labels</button>
			</form>{/if}
	{/if}
	{#if mayPlan}<a href="?change">Edit the site</a>
		<a href="?copy">Copy its set-up to another site</a>
		<a href="/sites/patterns/new?from={site.id}">Make a pattern of it</a>{/if}
	{#if data.pattern}<span class="quiet"
			>stamped from <a href="/sites/patterns/{data.pattern.id}" class="underline">{data.pattern.name}</a
			></span
		>{/if}
</div>
<FormWords {form} />
<form
	method="POST"
	action="?/bind&position={dropped.position}"
	use:enhance
	bind:this={dropForm}
	class="hidden"
>
	<input type="hidden" name="unit" value={dropped.unit} />
	<input type="hidden" name="position" value={dropped.position} />
</form>
{#if data.change}
	<form
		method="POST"
		action="?/change&change"
		class="sheet mt-4 p-4"
		use:enhance={() =>
			({ update }) =>
				update({ reset: false })}
	>
		<input type="hidden" name="edit" value={data.edit} />
		<SiteForm site={data} technicians={data.technicians}>
			<Button type="submit" size="sm">Save the facts</Button>
			<a href="/sites/{site.id}" class="ml-4">Leave them as they are</a>
		</SiteForm>
	</form>
{:else if data.others}
	<form method="POST" action="?/copy&copy={data.copy?.siteId ?? ''}" use:enhance class="sheet mt-4 p-4">
		<h2>Copy the set-up of {site.name}</h2>
		<p class="quiet mt-1">
			Positions, profiles and common values. What the other site has already stays; addresses, names and
			secrets are not copied.
		</p>
		<div class="mt-2 flex flex-wrap items-end gap-4">
			<label class="w-72"
				>To <select
					class="field"
					name="to"
					value={data.copy?.siteId ?? ''}
					onchange={({ currentTarget }) => void goto(`?copy=${currentTarget.value}`, { noScroll: true })}
					><option value="">choose a site</option>{#each data.others as other (other.id)}<option
							value={other.id}>{other.name}</option
						>{/each}</select
				></label
			>
			<Button type="submit" size="sm" disabled={!data.copy || data.copy.differences.length === 0}
				>Copy {data.copy?.differences.length ?? ''} things to {data.copy?.siteName ?? 'it'}</Button
			>
		</div>
		{#if data.copy}<div class="mt-3">
				{#if data.copy.differences.length > 0}<Differences differences={data.copy.differences} />{:else}<p>
						It has all of it already.
					</p>{/if}
			</div>{/if}
	</form>
{:else}
	<div class="about mt-4">
		<dl class="facts">
			<dt>Where</dt>
			<dd>
				{[site.street, site.locality, data.facts.country].filter(Boolean).join(', ') || 'not known'}
				{#if data.facts.directions}<span class="quiet block">{data.facts.directions}</span>{/if}
			</dd>
			<dt>When</dt>
			<dd>
				{#if site.appointmentAt}{siteTime(site.appointmentAt, site.timeZone)}, {data.minutes} minutes{data.technician
						? `, ${data.technician}`
						: ''}{:else}no appointment{/if}
				<span class="quiet block"
					>It is {siteHour(clock.now, site.timeZone)} there ({site.timeZone}){data.facts.accessHours
						? `; open ${data.facts.accessHours}`
						: ''}</span
				>
			</dd>
			<dt>Who</dt>
			<dd>{[site.contact, data.facts.phone].filter(Boolean).join(', ') || 'nobody named'}</dd>
			<dt>Uplink</dt>
			<dd>
				{[site.uplink, data.facts.provider, data.facts.circuit].filter(Boolean).join(', ')}
				{#if site.uplink === 'cellular'}<span class="quiet block"
						>SIM {data.facts.sim || 'not known'}, access point {data.facts.apn || 'not known'}</span
					>{/if}
			</dd>
			{#if data.links.count > 0}<dt>Card</dt>
				<dd>
					{data.links.count === 1 ? 'its address is' : `${data.links.count} addresses are`} good until
					{siteTime(data.links.until!, site.timeZone)}
					{#if mayDo('bind', site.customerId)}<form
							method="POST"
							action="?/endLinks"
							use:enhance
							class="inline"
						>
							<button class="link">End {data.links.count === 1 ? 'it' : 'them'} now</button>
						</form>{/if}
				</dd>{/if}
			<dt>Missing</dt>
			<dd>
				{#if data.missing.length === 0}nothing{:else}
					<ul aria-label="What is missing" class="list-[square] pl-4 marker:text-[var(--marigold)]">
						{#each data.missing.slice(0, MISSING_SHOWN) as lack, index (index)}<li>
								{lack.position ? `${lack.position}: ` : ''}{lack.words}
							</li>{/each}
						{#if data.missing.length > MISSING_SHOWN}<li class="quiet">
								and {data.missing.length - MISSING_SHOWN} more
							</li>{/if}
					</ul>{/if}
			</dd>
		</dl>
		{#if data.near.length > 0}
			<SiteMap sites={data.near} chosen={site.id} title="Where is it?" span={2.2} height={236} />
		{:else}<p class="quiet self-center">Its place on the map is not known.</p>{/if}
	</div>
{/if}

{#if data.notes.length > 0}
	<section class="mt-4" aria-label="From the site">
		<h2>From the site</h2>
		<ul class="mt-1 flex gap-4 overflow-x-auto pb-2">
			{#each data.notes as note (note.id)}<li class="sheet w-64 shrink-0 p-3">
					{#if note.kind === 'photo'}<a href="/day/photos/{note.id}"
							><img
								src="/day/photos/{note.id}"
								alt="{note.positionName ?? site.name}{note.words ? `: ${note.words}` : ''}"
								class="h-32 w-full rounded object-cover"
								loading="lazy"
							/></a
						>{/if}
					{#if note.words}<p>{note.words}</p>{/if}
					<p class="quiet text-sm">
						{note.positionName ? `${note.positionName}, ` : ''}<When at={note.doneAt} />
					</p>
				</li>{/each}
		</ul>
	</section>
{/if}
<div class="two mt-4">
	<ul class="sheet positions" aria-label="Positions">
		{#each data.positions as position (position.id)}
			{@const takes = dragged !== null && position.standing === 'open' && position.roleId === chosen?.roleId}
			<li
				class:chosen={position.id === chosen?.id}
				class:takes
				ondragover={(event) => takes && event.preventDefault()}
				ondrop={(event) => {
					event.preventDefault();
					if (takes) void drop(position.id);
				}}
				data-position={position.name}
				data-standing={position.standing}
			>
				<a
					href="?position={position.id}"
					data-sveltekit-noscroll
					aria-current={position.id === chosen?.id ? 'true' : undefined}
				>
					<span class="flex items-baseline justify-between gap-3"
						><b>{position.name}</b>
						<Standing
							standing={position.standing}
							word={stands[position.standing] || `${position.standing} at ${position.arrival?.step}`}
						/></span
					>
					<span class="quiet">{position.roleName} · {position.profileName}</span>
					{#if position.arrival}
						<span class="mt-1 flex flex-wrap items-center justify-between gap-x-3"
							><Serial serial={position.arrival.serial} />
							<Track
								step={position.arrival.step}
								standing={position.standing === 'online'
									? 'through'
									: position.standing === 'open'
										? 'waiting'
										: position.standing}
							/></span
						>
					{/if}
				</a>
			</li>
		{:else}
			<li class="p-4">This site has no positions yet.</li>
		{/each}
		{#if mayPlan && data.profiles.length > 0}
			<li class="p-4">
				<details bind:open={planning}>
					<summary class="cursor-pointer">Plan another position</summary>
					<form method="POST" action="?/plan" use:enhance class="mt-2 flex flex-wrap items-end gap-3">
						<label class="w-36"
							>Name <input
								name="name"
								class="field"
								required
								maxlength="120"
								placeholder="ap-lobby"
								autocomplete="off"
							/></label
						>
						<label class="grow"
							>Profile <select name="profile" class="field"
								>{#each data.profiles as profile (profile.id)}<option value={profile.id}
										>{profile.name}</option
									>{/each}</select
							></label
						>
						<Button type="submit" size="sm" color="alternative">Plan it</Button>
					</form>
				</details>
			</li>
		{/if}
	</ul>

	{#if chosen}
		<section>
			{#if chosen.arrival}
				<div class="flex flex-wrap items-center gap-x-5 gap-y-2">
					<h2>
						{chosen.name}:
						<a href="/units/{chosen.arrival.unitId}"><Serial serial={chosen.arrival.serial} /></a>
					</h2>
					<span class="quiet"
						>{chosen.arrival.modelName}, at {chosen.arrival.step} for {duration(
							clock.now - chosen.arrival.since
						)}</span
					>
					<span class="ml-auto"><RunActions arrival={chosen.arrival} /></span>
				</div>
				{#if chosen.arrival.failureWords}<blockquote
						class="mono mt-3 whitespace-pre-wrap border-l-2 border-[var(--brick)] pl-3 text-sm"
					>
						{chosen.arrival.failureWords}
					</blockquote>{/if}
				{#if chosen.advice}<p class="mt-2">{chosen.advice}</p>{/if}
				<p class="quiet mt-2">
					Compare aloud with whoever stands there: <b class="text-[var(--ink)]"
						>{checkPhrase(chosen.arrival.serial, chosen.id)}</b
					>
				</p>
				{#if mayDo('unbind', site.customerId) && mayDo('bind', site.customerId)}
					<details class="mt-3">
						<summary class="cursor-pointer font-semibold">Swap it for another unit</summary>
						<form method="POST" action="?/swap&position={chosen.id}" use:enhance class="sheet mt-2 p-4">
							<p>
								{chosen.name} keeps its values and its history. {chosen.arrival.serial.slice(-4)} is unbound and
								out of service: it can call, and gets nothing.
							</p>
							{#if chosen.suitable.length === 0}
								<p class="mt-2">
									No claimed unit of {site.customerName} suits this position.
									<a href="/intake">Claim one</a> first.
								</p>
							{:else}
								<input type="hidden" name="position" value={chosen.id} />
								{#key chosen.id}<UnitPicker units={chosen.suitable}>
										{#snippet button(picked)}<Button type="submit" size="sm" disabled={!picked}
												>Swap {chosen.arrival!.serial.slice(-4)} for {picked?.serial.slice(-4) ??
													'another'}</Button
											>{/snippet}
									</UnitPicker>{/key}
							{/if}
						</form>
					</details>
				{/if}
			{:else if mayDo('bind', site.customerId)}
				<form method="POST" action="?/bind&position={chosen.id}" use:enhance class="sheet p-4">
					<h2>Bind a unit to {chosen.name}</h2>
					{#if chosen.suitable.length === 0}
						<p class="mt-2">
							No claimed unit of {site.customerName} suits this position. <a href="/intake">Claim one</a> first.
						</p>
					{:else}
						<input type="hidden" name="position" value={chosen.id} />
						{#key chosen.id}<UnitPicker
								units={chosen.suitable}
								ondrag={(unit) => (dragged = unit?.id ?? null)}
							>
								{#snippet button(picked)}<Button type="submit" size="sm" disabled={!picked}
										>Bind {picked?.serial.slice(-4) ?? 'a unit'}</Button
									>{/snippet}
							</UnitPicker>{/key}
						<BindAnyway form={form && 'wantsReason' in form ? form : null} />
					{/if}
				</form>
			{/if}

			<h2 class="mt-5">What it will get</h2>
			{#if chosen.preview}
				<PositionPreview
					preview={chosen.preview}
					positionName={chosen.name}
					positionId={chosen.id}
					customerId={site.customerId}
					revealed={form && 'revealed' in form ? form.revealed : null}
				/>
				{#if chosen.otherProfiles.length > 0 && mayDo('set values', site.customerId)}
					<form
						method="POST"
						action="?/follow&position={chosen.id}"
						use:enhance
						class="mt-4 flex flex-wrap items-end gap-3"
					>
						<input type="hidden" name="position" value={chosen.id} />
						<label
							>Follow another profile
							<select name="profile" class="field"
								>{#each chosen.otherProfiles as profile (profile.id)}<option value={profile.id}
										>{profile.name}</option
									>{/each}</select
							></label
						>
						<Button type="submit" size="sm" color="alternative">Follow it</Button>
					</form>
				{/if}
				{#if !chosen.arrival && mayPlan}
					<form method="POST" action="?/remove&position={chosen.id}" use:enhance class="mt-4">
						<input type="hidden" name="position" value={chosen.id} />
						<Button type="submit" size="xs" color="alternative">Take {chosen.name} out of the plan</Button>
					</form>
				{/if}
			{:else}
				<p class="mt-2">What units are told is for the people who run the network.</p>
			{/if}
		</section>
	{/if}
</div>

<style>
	.about {
		display: grid;
		grid-template-columns: minmax(20rem, 1fr) minmax(20rem, 1fr);
		gap: 1.5rem;
		align-items: start;
	}
	@media (max-width: 900px) {
		.about {
			grid-template-columns: minmax(0, 1fr);
		}
	}
	.two {
		display: grid;
		grid-template-columns: minmax(18rem, 27rem) minmax(0, 1fr);
		gap: 1.5rem;
		align-items: start;
	}
	.positions li {
		border-bottom: 1px solid var(--hairline);
		border-left: 4px solid transparent;
	}
	.positions li:last-child {
		border-bottom: 0;
	}
	.positions li.chosen {
		border-left-color: var(--marigold);
		background: var(--chosen);
	}
	.positions li.takes {
		outline: 2px dashed var(--pine);
		outline-offset: -3px;
	}
	.positions a {
		display: block;
		padding: 0.7rem 1rem;
		color: var(--ink);
		text-decoration: none;
	}
	@media (max-width: 900px) {
		.two {
			grid-template-columns: minmax(0, 1fr);
		}
	}
</style>
