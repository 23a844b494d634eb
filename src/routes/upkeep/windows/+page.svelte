<script lang="ts">
	import { page } from '$app/state';
	import { Button } from 'flowbite-svelte';
	import { STANCE_WORDS } from '$core/stance';
	import { UpkeepRooms } from '$ui/drift';
	import { PageHead } from '$ui/kit';
	import { FormWords, mayDo } from '$ui/people';
	import { StanceForm } from '$ui/stance';
	import { StatedWindows, WindowEditor } from '$ui/windows';

	let { data, form } = $props();
	const of = $derived(data.of);
	const query = $derived(of?.siteId ? `site=${of.siteId}&` : of?.patternId ? `pattern=${of.patternId}&` : '');
	const read = $derived(form && 'rule' in form ? form.rule : null);
</script>

<PageHead
	title={of && (of.siteId || of.patternId) ? `Windows and stance of ${of.name}` : 'Windows and stance'}
>
	{#snippet acts()}{#if of?.siteId}<Button href="/sites/{of.siteId}" size="sm" color="alternative"
				>Back to the site</Button
			>{:else if of?.patternId}<Button href="/sites/patterns/{of.patternId}" size="sm" color="alternative"
				>Back to the pattern</Button
			>{/if}{/snippet}
	{#snippet about()}<UpkeepRooms />{/snippet}
</PageHead>
<FormWords {form} />
<p class="mt-2 max-w-prose">
	When units may be sent to, restarted and flashed, in each site’s own time. Outside it needs a reason, and
	nothing does it by itself.
</p>
{#if !of}
	<StatedWindows stated={data.stated} />
	<p class="quiet mt-2">
		A <a href="/sites/patterns">pattern</a> and a <a href="/sites">site</a> state windows of their own in their
		own menus.
	</p>
{:else}
	{#key `${page.url.search} ${of.edit} ${read ? JSON.stringify(read) : ''}`}
		<WindowEditor
			rule={read ?? of.own}
			edit={of.edit}
			further={of.further}
			zone={of.zones[0]?.zone ?? 'UTC'}
			zoneWords={of.zones.length > 1
				? `As in ${of.zones[0]!.zone}, where most of its sites are; at each site in its own time.`
				: `In the time of ${of.zones[0]?.zone ?? 'UTC'}.`}
			action={(name) => `?${query}/${name}`}
			mayWrite={mayDo('plan sites', of.customerId)}
		/>
	{/key}
	{#if of.stance}<section class="sheet mt-4 p-4">
			<h2>Drift</h2>
			<p class="quiet mb-2 max-w-prose">
				What is held is put back by itself: inside these windows, where nobody is asked first, a few units an
				hour, and never what touches the way to a unit or who gets in. Each time it is told. A unit that is
				new is watched for three days first.
			</p>
			{#if mayDo('send', of.customerId)}
				{#key of.stance.own}<StanceForm
						own={of.stance.own}
						further={of.stance.further}
						isOutermost={!of.siteId}
						action="?{query}/stance"
					/>{/key}
			{:else}<p>{STANCE_WORDS[of.stance.own ?? of.stance.further]}.</p>{/if}
		</section>{/if}
{/if}
