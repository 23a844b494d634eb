<script lang="ts">
	import { Form, FormField, MenuAct, MenuLink, PageHead } from '$ui/kit';
	import { onMount, tick, untrack } from 'svelte';
	import { Button } from 'flowbite-svelte';
	import { act } from '$ui/forms';
	import { standingWords } from '$core/onboarding';
	import { siteWords } from '$core/plan';
	import { ExpectedEnd, Track } from '$ui/arrivals';
	import { refreshOn } from '$ui/live';
	import { Serial, Standing, When } from '$ui/marks';
	import { FormWords, mayDo } from '$ui/people';
	import { ChosenPosition, CopySetUp, SiteCabling, SiteForm, SiteStrip } from '$ui/plan';
	import { SiteMap } from '$ui/charts';

	let { data, form } = $props();
	onMount(() => refreshOn(['runs', 'units', 'plan', 'callers', 'proofs']));

	const site = $derived(data.site);
	const chosen = $derived(data.chosen);
	const mayPlan = $derived(mayDo('plan sites', site.customerId));
	const mayProve = $derived(mayDo('prove', site.customerId));
	/** What helps now, once all of it is proven. */
	const isToHandOver = $derived(mayProve && data.standing.word === 'online' && !data.wasHandedOver);
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
</script>

<PageHead title={site.name}>
	{#snippet state()}
		<Standing standing={data.standing.word} word={siteWords(data.standing.word)} />
		<span class="quiet">{data.standing.online} of {data.standing.positions} online</span>
		{#if data.ends}<ExpectedEnd ends={data.ends} from={data.began} zone={site.timeZone} />{/if}
	{/snippet}
	{#snippet acts()}
		{#if isToHandOver}<Button href="/sites/{site.id}/handover" size="sm">Hand it over</Button>
		{:else if mayProve && data.positions.some(({ arrival }) => arrival)}
			<form method="POST" action="/sites/{site.id}/proof?/prove" use:act>
				<Button type="submit" size="sm" disabled={data.proof.isOpen}>Prove this site</Button>
			</form>
		{/if}
		{#if mayPlan}<Button href="?change" size="sm" color="alternative">Edit the site</Button>{/if}
		{#if mayDo('bind', site.customerId)}
			<Button href="/day?site={site.id}#{site.id}" size="sm" color="alternative"
				>Work here with a phone</Button
			>
		{/if}
	{/snippet}
	{#snippet more()}
		{#if mayDo('bind', site.customerId)}
			<MenuAct action="/sites/cards" fields={{ site: site.id }} beside>Card for people on site</MenuAct>
			{#if data.positions.length > 0}<MenuAct
					action="/labels"
					fields={{ position: data.positions.map(({ id }) => id) }}
					beside>Labels</MenuAct
				>{/if}
			{#if data.links.count > 0}<MenuAct action="?/endLinks">End the addresses of its cards</MenuAct>{/if}
		{/if}
		{#if mayDo('see renderings', site.customerId)}<MenuLink href="/sites/{site.id}/rehearsal"
				>Rehearse it</MenuLink
			>{/if}
		<MenuLink href="/sites/{site.id}/health">How its units do</MenuLink>
		{#if mayDo('see renderings', site.customerId)}<MenuLink href="/upkeep/events?site={site.id}"
				>What its units said</MenuLink
			>{/if}
		<MenuLink href="/sites/{site.id}/network">What its network has to say</MenuLink>
		{#if mayDo('bind', site.customerId)}<MenuLink href="/sites/{site.id}/bundle"
				>Files for a USB stick</MenuLink
			>{/if}
		<MenuLink href="/upkeep/windows?site={site.id}">Windows and stance</MenuLink>
		{#if isToHandOver}<MenuAct action="/sites/{site.id}/proof?/prove">Prove this site again</MenuAct>
		{:else}<MenuLink href="/sites/{site.id}/handover">Hand it over</MenuLink>{/if}
		{#if mayPlan}<MenuLink href="?copy">Copy its set-up to another site</MenuLink>
			<MenuLink href="/sites/patterns/new?from={site.id}">Make a pattern of it</MenuLink>{/if}
		{#if mayDo('see records', site.customerId)}<MenuLink href="/records?text={encodeURIComponent(site.name)}"
				>Records of this site</MenuLink
			>{/if}
		<MenuLink href="?map">Show it on the map</MenuLink>
	{/snippet}
	{#snippet about()}
		<span>{site.customerName}</span>
		{#if data.pattern}<span
				>stamped from <a href="/sites/patterns/{data.pattern.id}" class="underline">{data.pattern.name}</a
				></span
			>{/if}
	{/snippet}
</PageHead>
<FormWords {form} />
<form method="POST" action="?/bind&position={dropped.position}" use:act bind:this={dropForm} class="hidden">
	<input type="hidden" name="unit" value={dropped.unit} />
	<input type="hidden" name="position" value={dropped.position} />
</form>
{#if data.change}
	<Form action="?/change&change" stays class="sheet mt-4 p-4">
		{#snippet children({ busy })}
			<SiteForm site={data} technicians={data.technicians} />
			<Button type="submit" size="sm" disabled={busy}>Save the site</Button>
			<a href="/sites/{site.id}" class="ml-4">Leave it as it is</a>
		{/snippet}
	</Form>
{:else if data.others}
	<CopySetUp name={site.name} others={data.others} copy={data.copy} />
{:else}
	<SiteStrip
		{site}
		facts={data.facts}
		minutes={data.minutes}
		technician={data.technician}
		links={data.links}
		gaps={data.gaps}
		proof={data.proof}
		window={data.window}
		toCome={data.standing.online < data.standing.positions}
	/>
	{#if data.map}<div class="mt-3">
			{#if data.near.length > 0}
				<SiteMap sites={data.near} chosen={site.id} title="Where is it?" span={2.2} height={300} />
			{:else}<p class="quiet">Its place on the map is not known.</p>{/if}
		</div>{/if}
{/if}

<div class="two mt-4">
	<ul class="sheet positions" aria-label="Positions">
		{#each data.positions as position (position.id)}
			{@const takes = dragged !== null && position.standing === 'open' && position.roleId === chosen?.roleId}
			<li
				class="p-0"
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
							word={standingWords(position.standing, position.arrival?.step ?? null)}
						/></span
					>
					<span class="flex flex-wrap items-center justify-between gap-x-3"
						><span class="quiet">{position.roleName} · {position.profileName}</span>
						{#if position.ends && position.standing !== 'stalled'}<ExpectedEnd
								ends={position.ends}
								from={position.arrival?.calledAt ?? null}
								zone={site.timeZone}
								brief
							/>{/if}</span
					>
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
					<form method="POST" action="?/plan" use:act class="mt-2 flex flex-wrap items-end gap-3">
						<FormField
							label="Name"
							class="w-36"
							name="name"
							required
							maxlength={120}
							placeholder="ap-lobby"
							autocomplete="off"
						/>
						<FormField label="Profile" kind="select" class="grow" name="profile"
							>{#each data.profiles as profile (profile.id)}<option value={profile.id}>{profile.name}</option
								>{/each}</FormField
						>
						<Button type="submit" size="sm" color="alternative">Plan it</Button>
					</form>
				</details>
			</li>
		{/if}
	</ul>

	{#if chosen}
		<ChosenPosition
			{site}
			{chosen}
			{mayPlan}
			line={data.line}
			{form}
			ondrag={(unit) => (dragged = unit?.id ?? null)}
		/>
	{/if}
</div>

{#if data.cabling && data.positions.length > 0}
	{#key `${data.cablingEdited}`}<SiteCabling
			cabling={data.cabling}
			{mayPlan}
			editing={data.cablingEdited}
			found={data.cablingFound}
		/>{/key}
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
					{#if note.kind === 'signature'}<p>Signed by {note.words}</p>{:else if note.words}<p>
							{note.words}
						</p>{/if}
					<p class="quiet text-sm">
						{note.positionName ? `${note.positionName}, ` : ''}<When at={note.doneAt} />
					</p>
				</li>{/each}
		</ul>
	</section>
{/if}

<style>
	.two {
		--columns: minmax(18rem, 27rem) minmax(0, 1fr);
	}
	.positions li {
		border-left: 4px solid transparent;
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
</style>
