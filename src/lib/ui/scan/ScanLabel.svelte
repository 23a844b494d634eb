<script lang="ts">
	import BarcodeOutline from 'flowbite-svelte-icons/BarcodeOutline.svelte';
	import { readLabel, type Label, type SerialModel } from '$core/intake';
	import { readPositionCard } from '$core/plan';
	import { readPhoto, whyNotRead } from './read-photo';

	/** Takes photos of labels and says what their codes are; on a phone the camera opens. */
	interface Props {
		models: readonly SerialModel[];
		onread: (labels: readonly Label[]) => void;
		/** A position's card was on the photo instead. */
		oncard?: (positionId: string) => void;
		/** Several photos at once. */
		several?: boolean;
		large?: boolean;
		words?: string;
	}
	let {
		models,
		onread,
		oncard,
		several = false,
		large = false,
		words = 'Photo of a label'
	}: Props = $props();

	let reading = $state(0);
	/** How long the last photo took, for whoever measures. */
	let milliseconds = $state(0);
	let problems = $state<readonly string[]>([]);
	let input: HTMLInputElement | undefined = $state();

	async function read(files: readonly File[]) {
		reading = files.length;
		problems = [];
		const labels: Label[] = [];
		for (const file of files) {
			const name = files.length > 1 ? `${file.name}: ` : '';
			try {
				const photo = await readPhoto(file);
				milliseconds = Math.round(photo.milliseconds);
				const label = readLabel(photo.codes, models);
				const card = oncard && label.rest.map(readPositionCard).find((id) => id !== null);
				if (card) oncard!(card);
				else if (photo.problem !== null) problems = [...problems, name + whyNotRead(photo)];
				else if (label.serial === null)
					problems = [
						...problems,
						`${name}No serial number among its codes: ${photo.codes.map((code) => code.slice(0, 40)).join(', ')}`
					];
				else labels.push(label);
			} catch (error) {
				problems = [...problems, name + (error as Error).message];
			}
			reading--;
		}
		reading = 0;
		if (input) input.value = '';
		if (labels.length > 0) onread(labels);
	}
</script>

<div data-milliseconds={milliseconds}>
	<label class="scan" class:large>
		<input
			bind:this={input}
			type="file"
			accept="image/*"
			capture={several ? undefined : 'environment'}
			multiple={several}
			class="sr-only"
			aria-label={words}
			onchange={({ currentTarget }) => void read([...(currentTarget.files ?? [])])}
		/>
		<BarcodeOutline class="h-5 w-5" />
		{reading > 0 ? 'Reading …' : words}
	</label>
	<div aria-live="polite" data-reading={reading}>
		{#each problems as problem, index (index)}<p class="mt-1 text-[var(--brick)]">{problem}</p>{/each}
	</div>
</div>

<style>
	.scan {
		display: inline-flex;
		align-items: center;
		gap: 0.5rem;
		padding: 0.4rem 0.9rem;
		border: 1px solid var(--pine);
		border-radius: 6px;
		color: var(--pine);
		font-weight: 600;
		cursor: pointer;
	}
	.scan:focus-within {
		outline: 2px solid var(--marigold);
		outline-offset: 2px;
	}
	.large {
		width: 100%;
		justify-content: center;
		min-height: 56px;
		background: var(--pine);
		color: var(--sheet);
	}
</style>
