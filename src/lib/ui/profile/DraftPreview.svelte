<script lang="ts">
	import { askAction } from '../forms';
	import type { ComponentProps } from 'svelte';
	import { FormField, Notice } from '../kit';
	import PositionPreview from './PositionPreview.svelte';

	/** What one position would get of a draft, as it is typed: computed anew once somebody rests. */
	type Preview = ComponentProps<typeof PositionPreview>['preview'];
	interface Props {
		positions: readonly {
			readonly id: string;
			readonly name: string;
			readonly siteName: string;
			readonly customerId: string;
		}[];
		/** The draft as it would be saved. */
		draft: string;
		changed: boolean;
		edit: number;
		customerId: string | null;
	}
	let { positions, draft, changed, edit, customerId }: Props = $props();

	const REST_MS = 400;
	let wanted = $state('');
	const chosen = $derived(positions.find(({ id }) => id === wanted) ?? positions[0] ?? null);
	let preview = $state.raw<Preview | null>(null);
	let problem = $state('');
	let working = $state(false);

	$effect(() => {
		if (!chosen) return;
		const body = new FormData();
		body.set('position', chosen.id);
		body.set('draft', draft);
		void [changed, edit];
		let left = false;
		working = true;
		const timer = setTimeout(async () => {
			const answer = await askAction('?/preview', body);
			if (left) return;
			working = false;
			if (answer?.type === 'success') preview = (answer.data?.preview ?? null) as Preview | null;
			problem =
				answer?.type === 'success'
					? ''
					: String(
							(answer?.type === 'failure' && answer.data?.problem) || 'The preview cannot be had just now.'
						);
		}, REST_MS);
		return () => {
			left = true;
			clearTimeout(timer);
		};
	});
</script>

<section class="sheet p-4" aria-label="Preview">
	<h2>What one position would get</h2>
	{#if !chosen}
		<p class="quiet mt-1">
			No position{customerId ? ' of this customer' : ''} follows this profile yet; there is nothing to show it for.
		</p>
	{:else}
		<FormField
			label="Position"
			bare
			kind="select"
			class="mt-2"
			value={chosen.id}
			items={positions.map(({ id, name, siteName }) => ({ value: id, name: `${siteName}, ${name}` }))}
			onchange={({ currentTarget }) => (wanted = currentTarget.value)}
		/>
		<div class="mt-1" aria-busy={working}>
			{#if problem}<Notice kind="careful">{problem}</Notice>{/if}
			{#if preview}<PositionPreview
					{preview}
					positionName={chosen.name}
					positionId={chosen.id}
					customerId={chosen.customerId}
					brief
				/>{/if}
		</div>
	{/if}
</section>
