<script lang="ts">
	import { ConfigText } from '$ui/config';
	import { PageHead } from '$ui/kit';
	import { Serial, When } from '$ui/marks';

	let { data } = $props();
	const WORDS = {
		configuration: 'Configuration of',
		saved: 'Saved configuration of',
		answer: 'Answer of'
	} as const;
</script>

<PageHead title="{WORDS[data.kind]} {data.unit.serial}">
	{#snippet name()}{WORDS[data.kind]} <Serial serial={data.unit.serial} />{/snippet}
	{#snippet about()}<span
			><a href="/units/{data.unit.id}">The unit’s page</a> ·
			<a href="/units/{data.unit.id}/dialogue">What was said to it</a> · read <When at={data.at} />, secrets
			are masked</span
		>{/snippet}
</PageHead>
<div class="mt-4"><ConfigText text={data.content} label="What the unit printed" /></div>
