<script lang="ts">
	import { dayOf } from '$core/text';
	import { PageHead } from '$ui/kit';
	import { LifeList } from '$ui/life';
	import { Serial, Standing, When } from '$ui/marks';

	let { data } = $props();
	const { unit } = $derived(data);
</script>

<PageHead title={unit.serial}>
	{#snippet name()}<Serial serial={unit.serial} />{/snippet}
	{#snippet state()}<Standing standing="retired" word="retired" />{/snippet}
	{#snippet about()}<a href="/units/retired">Retired units</a><span
			>{unit.makerName} {unit.modelName} · {unit.customerName}</span
		>{/snippet}
</PageHead>
<p class="sheet mt-3 p-4">
	Retired by {unit.retiredBy}, <When at={unit.retiredAt} />: {unit.why}<br />
	<span class="quiet"
		>What is known of it is kept until {dayOf(Date.parse(unit.destroyOn), 'UTC', new Date())}, then destroyed.</span
	>
</p>
<LifeList life={data.life} kind={data.kind} atOnce={data.atOnce} />
