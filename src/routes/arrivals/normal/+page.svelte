<script lang="ts">
	import { TableBody, TableBodyCell, TableBodyRow, TableHead, TableHeadCell } from 'flowbite-svelte';
	import { goto } from '$app/navigation';
	import { counted } from '$core/text';
	import { UPLINK_WORDS } from '$core/profile';
	import { StepCurve } from '$ui/charts';
	import { FormField, PageHead, Table } from '$ui/kit';
	import { duration, When } from '$ui/marks';

	let { data } = $props();
	const TITLES: Readonly<Record<string, string>> = {
		calling: 'How long until it has answered the door?',
		identity: 'How long does it take to check who it is?',
		firmware: 'How long does the change of firmware take?',
		configuration: 'How long does its configuration take?',
		proof: 'How long until it is proven?'
	};
	const choose = (name: string, value: string) => {
		const query = new URLSearchParams({ model: data.model!.id, uplink: data.uplink!, [name]: value });
		void goto(`/arrivals/normal?${query}`, { keepFocus: true, noScroll: true });
	};
	const behind = ({ own, borrowed }: { own: number; borrowed: number }) =>
		[
			counted(own, 'run'),
			borrowed > 0 && `${borrowed} borrowed from like ones`,
			own + borrowed === 0 && 'what its pack says'
		]
			.filter(Boolean)
			.join(', ');
</script>

<PageHead title="How long does it take?">
	{#snippet about()}
		<span
			>Learnt from all runs. A step is late when nine of ten like it are done, stalled when 997 of 1,000 are;
			but never sooner than 10 seconds, or a minute, past half.</span
		>
	{/snippet}
</PageHead>
{#if data.model === null}
	<p class="sheet mt-4 p-6">
		Nothing has been on its way yet. <a href="/arrivals">Arrivals</a> shows what is; as soon as a unit has called,
		what is normal is learnt here.
	</p>
{:else}
	<div class="mt-3 flex flex-wrap gap-4">
		<FormField
			label="Model"
			kind="select"
			stored={data.model.id}
			items={data.models.map(({ id, name }) => ({ value: id, name }))}
			onchange={(event: Event) => choose('model', (event.currentTarget as HTMLSelectElement).value)}
		/>
		<FormField
			label="Uplink"
			kind="select"
			stored={data.uplink}
			items={data.model.uplinks.map((one) => ({ value: one, name: UPLINK_WORDS[one] }))}
			onchange={(event: Event) => choose('uplink', (event.currentTarget as HTMLSelectElement).value)}
		/>
	</div>
	<div class="mt-4 grid gap-x-8 gap-y-5 *:min-w-0 md:grid-cols-2 xl:grid-cols-3">
		{#each data.steps as known (`${known.step} ${known.from} ${known.to}`)}
			<StepCurve
				title={known.step === 'firmware'
					? `How long from ${known.from || 'any version'} to ${known.to}?`
					: TITLES[known.step]!}
				curve={known.curve}
				median={known.median}
				late={known.late}
				stalled={known.stalled}
			/>
		{/each}
	</div>
	<div class="mt-4">
		<Table label="How long each step takes">
			<TableHead>
				<TableHeadCell>Step</TableHeadCell>
				<TableHeadCell>Half within</TableHeadCell>
				<TableHeadCell>Late after</TableHeadCell>
				<TableHeadCell>Stalled after</TableHeadCell>
				<TableHeadCell>Learnt from</TableHeadCell>
				<TableHeadCell>Learnt</TableHeadCell>
			</TableHead>
			<TableBody>
				{#each data.steps as known (`${known.step} ${known.from} ${known.to}`)}
					<TableBodyRow>
						<TableBodyCell
							>{known.step}{#if known.step === 'firmware'}
								<span class="mono">{known.from || 'any'} → {known.to}</span>{/if}</TableBodyCell
						>
						<TableBodyCell>{duration(known.median * 1000)}</TableBodyCell>
						<TableBodyCell>{duration(known.late * 1000)}</TableBodyCell>
						<TableBodyCell>{duration(known.stalled * 1000)}</TableBodyCell>
						<TableBodyCell>{behind(known)}</TableBodyCell>
						<TableBodyCell><When at={known.learntAt} /></TableBodyCell>
					</TableBodyRow>
				{/each}
			</TableBody>
		</Table>
	</div>
{/if}
