<script lang="ts">
	import { Button } from 'flowbite-svelte';
	import { helpedWords, type FailureGroup } from '$core/watch';
	import { counted } from '$core/text';
	import { act } from '../forms';
	import { Standing, When } from '../marks';
	import { mayDo } from '../people';

	/** Failures that are the same: what they have in common, one act that mends it, and one that lets all try again. */
	let {
		groups,
		chosen,
		hrefOf
	}: { groups: readonly FailureGroup[]; chosen: string | null; hrefOf: (id: string | null) => string } =
		$props();

	const mendAt = ({ line }: FailureGroup): string | null =>
		!line
			? null
			: line.partId
				? `/profiles/parts/${line.partId}?line=${line.number}&dialect=${line.dialect}`
				: `/profiles/${line.profileId}`;
</script>

{#if groups.length > 0}
	<h2 class="mt-4">Failed in the same way</h2>
	<ul class="sheet mt-2" aria-label="Failed in the same way">
		{#each groups as group (group.id)}
			{@const mend = mendAt(group)}
			<li data-group={group.id}>
				<div>
					<p class="flex flex-wrap items-baseline gap-x-3">
						<Standing standing="stuck" word={counted(group.units, 'unit')} />
						<a
							href={hrefOf(chosen === group.id ? null : group.id)}
							aria-current={chosen === group.id || undefined}>at {counted(group.sites, 'site')}</a
						>
						<span
							>failed at {group.step}{#if group.line}: same line of <b>{group.line.name}</b> revision {group
									.line.revision}, line {group.line.number}{/if}</span
						>
						<span class="quiet">first <When at={group.since} /></span>
					</p>
					<p class="mono said" title={group.words}>{group.words}</p>
					{#if group.helped[0]}<p class="quiet">{helpedWords(group.helped[0])}</p>{/if}
				</div>
				<div class="flex flex-wrap justify-end gap-2">
					{#if mend && mayDo('see profiles')}<Button href={mend} size="xs">Open the line</Button>{/if}
					{#if mayDo('retry')}<form method="POST" action="/arrivals?/retryGroup" use:act>
							<input type="hidden" name="group" value={group.id} />
							<Button type="submit" size="xs" color={mend ? 'alternative' : 'primary'}
								>Let all {group.units} try again</Button
							>
						</form>{/if}
				</div>
			</li>
		{/each}
	</ul>
{/if}

<style>
	li {
		display: grid;
		grid-template-columns: minmax(0, 1fr) auto;
		gap: 0.3rem 1.2rem;
		align-items: center;
	}
	.said {
		font-size: 0.9rem;
		overflow: hidden;
		white-space: nowrap;
		text-overflow: ellipsis;
	}
	@media (max-width: 700px) {
		li {
			grid-template-columns: minmax(0, 1fr);
		}
		.said {
			white-space: normal;
		}
	}
</style>
