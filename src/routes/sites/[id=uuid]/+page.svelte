<script lang="ts">
	import { onMount } from 'svelte';
	import { Button } from 'flowbite-svelte';
	import { enhance } from '$app/forms';
	import { checkPhrase } from '$core/onboarding';
	import { BindAnyway, RunActions, Track, UnitPicker } from '$ui/arrivals';
	import { refreshOn } from '$ui/live';
	import { clock, duration, Serial, Standing } from '$ui/marks';
	import { FormWords, mayDo, RecordsOf } from '$ui/people';
	import { PositionPreview } from '$ui/profile';

	let { data, form } = $props();
	onMount(() => refreshOn(['runs', 'units', 'plan', 'callers']));

	const site = $derived(data.site);
	const chosen = $derived(data.chosen);
	const map = $derived(
		site.latitude === null ? '' : `${Math.abs(site.latitude).toFixed(4)}° S, ${site.longitude?.toFixed(4)}° E`
	);
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
<p class="quiet mt-1">
	{site.street}, {site.locality} <span title="Where it is">({map})</span> · {site.uplink} · {site.contact} · its
	time: {new Date(clock.now).toLocaleTimeString('en-NZ', {
		timeZone: site.timeZone,
		hour: '2-digit',
		minute: '2-digit'
	})}{#if site.appointmentAt}
		· appointment {site.appointmentAt.toLocaleString('en-NZ', {
			timeZone: site.timeZone,
			weekday: 'short',
			day: 'numeric',
			month: 'short',
			hour: '2-digit',
			minute: '2-digit'
		})}{/if}
</p>
<p class="mt-1"><RecordsOf what="this site" text={site.name} customerId={site.customerId} /></p>
<FormWords {form} />

<div class="two mt-4">
	<ul class="sheet positions" aria-label="Positions">
		{#each data.positions as position (position.id)}
			<li
				class:chosen={position.id === chosen?.id}
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
						{#key chosen.id}<UnitPicker units={chosen.suitable}>
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
				{#if chosen.profiles.length > 0 && mayDo('set values', site.customerId)}
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
								>{#each chosen.profiles as profile (profile.id)}<option value={profile.id}
										>{profile.name}</option
									>{/each}</select
							></label
						>
						<Button type="submit" size="sm" color="alternative">Follow it</Button>
					</form>
				{/if}
			{:else}
				<p class="mt-2">What units are told is for the people who run the network.</p>
			{/if}
		</section>
	{/if}
</div>

<style>
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
