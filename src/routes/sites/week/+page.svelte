<script lang="ts">
	import { Button } from 'flowbite-svelte';
	import { onMount } from 'svelte';
	import { siteWords } from '$core/plan';
	import { counted } from '$core/text';
	import { PageHead } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { clock, dayOf, hourOf, Standing } from '$ui/marks';

	let { data } = $props();
	onMount(() => refreshOn(['plan', 'runs', 'proofs', 'readiness']));

	type Site = (typeof data.sites)[number];
	const days = $derived(
		data.week.days.map((day) => ({ day, sites: data.sites.filter((site) => site.day === day) }))
	);
	const isOver = ({ word }: Site) => word === 'online' || word === 'unproven' || word === 'proof-failed';
	const lacking = $derived(
		data.sites.filter((site) => site.word === 'stuck' || (!isOver(site) && (site.gaps?.length ?? 0) > 0))
			.length
	);
	const noon = (day: string) => new Date(`${day}T12:00:00Z`);
	const today = $derived(new Date(clock.now).toLocaleDateString('sv'));
</script>

<PageHead title="Appointments from {dayOf(noon(data.week.days[0]!), 'UTC', clock.now)}">
	{#snippet state()}
		<span class="quiet"
			>{counted(data.sites.length, 'appointment')}{data.sites.length > 0
				? lacking > 0
					? `, ${lacking} not ready`
					: ', none with gaps'
				: ''}</span
		>
	{/snippet}
	{#snippet acts()}
		<Button href="?of={data.week.before}" size="sm" color="alternative">The week before</Button>
		<Button href="/sites/week" size="sm" color="alternative">This week</Button>
		<Button href="?of={data.week.after}" size="sm" color="alternative">The week after</Button>
	{/snippet}
	{#snippet about()}<span
			>Each at its site’s own time. Sites are looked at from a week before their appointment on.</span
		>{/snippet}
</PageHead>
<ol class="week mt-4">
	{#each days as { day, sites } (day)}
		<li class:today={day === today} class:bare={sites.length === 0}>
			<h2>{dayOf(noon(day), 'UTC', clock.now)}</h2>
			{#each sites as site (site.id)}
				<div class="sheet appointment" data-site={site.name}>
					<p class="quiet">
						{hourOf(new Date(site.appointmentAt!), site.timeZone)}, {site.minutes} min
					</p>
					<a href="/sites/{site.id}" class="font-semibold">{site.name}</a>
					<p class="quiet">{site.technicianName ?? 'nobody yet'}</p>
					{#if site.word === 'stuck'}<Standing standing="stuck" word="needs a person" />
					{:else if isOver(site)}<Standing standing="through" word={siteWords(site.word)} />
					{:else if site.gaps === null}<Standing standing="open" word="not looked at" />
					{:else if site.gaps.length > 0}<a href="/sites/{site.id}#gaps"
							><Standing standing="late" word={counted(site.gaps.length, 'gap')} /></a
						>
						<p class="gap" title={site.gaps.map(({ words }) => words).join(' ')}>
							{site.gaps[0]!.position ? `${site.gaps[0]!.position}: ` : ''}{site.gaps[0]!.words}
						</p>
					{:else}<Standing standing="through" word="ready" />{/if}
				</div>
			{:else}<p class="quiet none">nothing</p>{/each}
		</li>
	{/each}
</ol>
{#if data.sites.length === 0}
	<p class="sheet mt-4 p-6">
		No site has an appointment in this week. <a href="/sites">Choose sites</a> and send somebody to them.
	</p>
{/if}

<style>
	.week {
		display: grid;
		grid-template-columns: repeat(7, minmax(0, 1fr));
		gap: 0.75rem;
		align-items: start;
	}
	.week > li {
		border-top: 3px solid var(--hairline);
		padding-top: 0.5rem;
	}
	.week > li.today {
		border-top-color: var(--marigold);
	}
	h2 {
		font-size: 1rem;
	}
	.appointment {
		margin-top: 0.5rem;
		padding: 0.5rem 0.6rem;
		overflow-wrap: anywhere;
	}
	.appointment a {
		display: block;
	}
	.gap {
		display: -webkit-box;
		-webkit-box-orient: vertical;
		-webkit-line-clamp: 3;
		line-clamp: 3;
		overflow: hidden;
		font-size: 0.85rem;
	}
	.none {
		margin-top: 0.5rem;
	}
	@media (max-width: 900px) {
		.week {
			grid-template-columns: minmax(0, 1fr);
		}
		.bare {
			display: none;
		}
	}
</style>
