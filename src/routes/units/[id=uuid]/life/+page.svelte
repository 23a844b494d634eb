<script lang="ts">
	import { PageHead } from '$ui/kit';
	import { LifeList } from '$ui/life';
	import { Serial } from '$ui/marks';

	let { data } = $props();
	const { unit } = $derived(data);
</script>

<PageHead title="The life of {unit.serial}">
	{#snippet name()}The life of <Serial serial={unit.serial} />{/snippet}
	{#snippet about()}<a href="/units/{unit.id}">The unit</a><span
			>{unit.makerName}
			{unit.modelName} · {unit.customerName}{unit.siteName
				? ` · now ${unit.siteName}, ${unit.positionName}`
				: ''}</span
		>{/snippet}
</PageHead>
<LifeList life={data.life} kind={data.kind} atOnce={data.atOnce} />
