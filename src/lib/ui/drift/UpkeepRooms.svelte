<script lang="ts">
	import { page } from '$app/state';
	import { mayDo } from '../people';

	/** The parts of Upkeep. */
	const parts = $derived([
		...(mayDo('see renderings')
			? [
					{ href: '/upkeep', name: 'Drift' },
					{ href: '/upkeep/behind', name: 'Behind' },
					{ href: '/upkeep/archive', name: 'Archive' },
					{ href: '/upkeep/events', name: 'Alerts and events' },
					{ href: '/upkeep/cohorts', name: 'Cohorts' },
					{ href: '/upkeep/secrets', name: 'Secrets' }
				]
			: []),
		...(mayDo('see')
			? [
					{ href: '/upkeep/health', name: 'Health' },
					{ href: '/upkeep/windows', name: 'Windows and stance' }
				]
			: []),
		...(mayDo('see images') ? [{ href: '/upkeep/firmware', name: 'Firmware' }] : [])
	]);
</script>

<nav aria-label="Upkeep" class="flex flex-wrap gap-x-4">
	{#each parts as { href, name } (href)}<a
			{href}
			aria-current={page.url.pathname === href ? 'page' : undefined}>{name}</a
		>{/each}
</nav>
