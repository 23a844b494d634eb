<script lang="ts">
	import { page } from '$app/state';
	import {
		FACTS,
		LIFE_KINDS,
		LIFE_KINDS_IN_ORDER,
		type Fact,
		type LifeEvent,
		type LifeKind
	} from '$core/life';
	import { When } from '$ui/marks';

	/** A unit's life, the latest first, by kinds. */
	let { life, kind, atOnce }: { life: readonly LifeEvent[]; kind: LifeKind | null; atOnce: number } =
		$props();
	const address = (given: LifeKind | null, before?: Date) => {
		const query = new URLSearchParams();
		if (given) query.set('kind', given);
		if (before) query.set('before', new Date(before).toISOString());
		return `${page.url.pathname}?${query}`;
	};
	const titleOf = ({ kind: of, title }: LifeEvent) => (of === 'fact' ? FACTS[title as Fact] : title);
</script>

<nav class="mt-3 flex flex-wrap gap-x-4 gap-y-1" aria-label="What of its life">
	<a href={address(null)} aria-current={kind === null ? 'page' : undefined}>all</a>
	{#each LIFE_KINDS_IN_ORDER as one (one)}<a
			href={address(one)}
			aria-current={kind === one ? 'page' : undefined}>{LIFE_KINDS[one]}</a
		>{/each}
</nav>
{#if life.length === 0}<p class="sheet mt-3 p-4">Nothing of that kind is known.</p>
{:else}
	<ol class="sheet mt-3" aria-label="Its life">
		{#each life as one (`${one.kind} ${one.id}`)}<li data-life={one.kind}>
				<span class="quiet"><When at={one.at} /></span>
				<div class="min-w-0">
					<p>
						<b>{titleOf(one)}</b>{#if one.by}<span class="quiet">, {one.by}</span>{/if}
						{#if kind === null}<span class="quiet text-sm">{LIFE_KINDS[one.kind]}</span>{/if}
					</p>
					{#if one.words}<p class="break-words">{one.words}</p>{/if}
				</div>
			</li>{/each}
	</ol>
	{#if life.length === atOnce}<p class="mt-2"><a href={address(kind, life.at(-1)!.at)}>Earlier</a></p>{/if}
{/if}

<style>
	li {
		display: grid;
		grid-template-columns: 9.5rem minmax(0, 1fr);
		gap: 0.2rem 1rem;
	}
	@media (max-width: 640px) {
		li {
			grid-template-columns: minmax(0, 1fr);
		}
	}
</style>
