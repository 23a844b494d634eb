<script lang="ts">
	import { onMount } from 'svelte';
	import { Button } from 'flowbite-svelte';
	import { enhance } from '$app/forms';
	import { BindAnyway, RunActions, Track } from '$ui/arrivals';
	import { refreshOn } from '$ui/live';
	import { clock, duration, Serial, Standing } from '$ui/marks';
	import { FormWords, mayDo, RecordsOf } from '$ui/people';
	import { PositionPreview } from '$ui/profile';

	let { data, form } = $props();
	onMount(() => refreshOn(['runs', 'units', 'plan', 'callers']));

	const site = $derived(data.site);
	const chosen = $derived(data.chosen);
	let typed = $state('');
	let unit = $state('');
	const offered = $derived(
		(chosen?.suitable ?? []).filter(({ serial, mac }) => {
			const wanted = typed.toUpperCase().replace(/[^0-9A-Z]/g, '');
			return serial.includes(wanted) || (mac ?? '').toUpperCase().replace(/:/g, '').includes(wanted);
		})
	);
	const picked = $derived(
		offered.length === 1 ? offered[0]!.id : offered.some(({ id }) => id === unit) ? unit : ''
	);
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
			{:else if mayDo('bind', site.customerId)}
				<form
					method="POST"
					action="?/bind&position={chosen.id}"
					use:enhance={() =>
						async ({ result, update }) => {
							await update({ reset: false });
							if (result.type !== 'success') return;
							typed = '';
							unit = '';
						}}
					class="sheet p-4"
				>
					<h2>Bind a unit to {chosen.name}</h2>
					{#if chosen.suitable.length === 0}
						<p class="mt-2">
							No claimed unit of {site.customerName} suits this position. <a href="/intake">Claim one</a> first.
						</p>
					{:else}
						<input type="hidden" name="position" value={chosen.id} />
						<input type="hidden" name="unit" value={picked} />
						<div class="mt-2 flex flex-wrap items-center gap-3">
							<input
								bind:value={typed}
								type="search"
								class="mono rounded-md border-[var(--hairline)] bg-[var(--paper)] py-1"
								placeholder="Scan, or any part of it"
								aria-label="Serial number or MAC address, or a part of it"
								autocomplete="off"
								spellcheck="false"
							/>
							<Button type="submit" size="sm" disabled={picked === ''}
								>Bind {offered.find(({ id }) => id === picked)?.serial.slice(-4) ?? 'a unit'}</Button
							>
							<span class="quiet">{offered.length} of {chosen.suitable.length} fit</span>
						</div>
						<BindAnyway form={form && 'wantsReason' in form ? form : null} />
						<ul class="choices mt-3">
							{#each offered.slice(0, 30) as one (one.id)}
								<li>
									<label class:picked={picked === one.id}
										><input
											type="radio"
											name="choice"
											value={one.id}
											checked={picked === one.id}
											onchange={() => (unit = one.id)}
										/>
										<Serial serial={one.serial} /> <span class="quiet">{one.modelName}</span>
										<span class="quiet mono">{one.mac ?? ''}</span></label
									>
								</li>
							{/each}
						</ul>
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
	.choices {
		max-height: 14rem;
		overflow: auto;
	}
	.choices label {
		display: flex;
		flex-wrap: wrap;
		gap: 0.8rem;
		align-items: center;
		padding: 0.4rem 0.5rem;
		cursor: pointer;
	}
	.choices label:hover,
	.choices .picked {
		background: var(--chosen);
	}
	@media (max-width: 900px) {
		.two {
			grid-template-columns: minmax(0, 1fr);
		}
	}
</style>
