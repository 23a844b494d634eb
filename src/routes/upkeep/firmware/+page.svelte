<script lang="ts">
	import { PageHead } from '$ui/kit';
	import {
		Button,
		Fileupload,
		Input,
		Label,
		Select,
		Table,
		TableBody,
		TableBodyCell,
		TableBodyRow,
		TableHead,
		TableHeadCell
	} from 'flowbite-svelte';
	import { loadAnew } from '$ui/live';
	import { UpkeepRooms } from '$ui/drift';
	import { When } from '$ui/marks';
	import { FormWords, mayDo, RecordsOf } from '$ui/people';

	let { data } = $props();
	let working = $state(false);
	let line = $state('');
	let version = $state('');
	let files = $state<FileList>();
	let outcome = $state<{ said?: string; problem?: string } | null>(null);

	/** The file goes as it is, and is hashed and stored while it arrives. */
	async function upload(event: SubmitEvent) {
		event.preventDefault();
		const file = files?.[0];
		if (!file || line === '') {
			outcome = { problem: line === '' ? 'Choose the firmware line.' : 'Choose the file.' };
			return;
		}
		working = true;
		outcome = null;
		const path = `/upkeep/images/${encodeURIComponent(line)}/${encodeURIComponent(version.trim())}`;
		try {
			const answer = await fetch(`${path}?name=${encodeURIComponent(file.name)}`, {
				method: 'PUT',
				body: file
			});
			const told = (await answer.json()) as { said?: string; problem?: string; message?: string };
			outcome = answer.ok ? told : { problem: told.problem ?? told.message ?? 'It was not taken.' };
			if (answer.ok) version = '';
			await loadAnew();
		} catch {
			outcome = { problem: 'The connection was lost; nothing was kept. Try again.' };
		}
		working = false;
	}
	const megabytes = (bytes: number) => `${(bytes / 1024 / 1024).toFixed(1)} MB`;
</script>

<PageHead title="Firmware">
	{#snippet about()}<UpkeepRooms />{/snippet}
</PageHead>
<div class="two mt-4">
	<section>
		<h2>Firmware images</h2>
		{#if data.images.length === 0}<p class="sheet mt-2 p-5">
				There are no images yet. A profile with a firmware target waits for one.
			</p>{:else}
			<Table classes={{ div: 'mt-2' }}>
				<TableHead
					><TableHeadCell>Line</TableHeadCell><TableHeadCell>Version</TableHeadCell><TableHeadCell
						>Size</TableHeadCell
					><TableHeadCell>SHA-256</TableHeadCell><TableHeadCell>Uploaded</TableHeadCell><TableHeadCell
					></TableHeadCell></TableHead
				>
				<TableBody>
					{#each data.images as image (image.id)}
						<TableBodyRow
							><TableBodyCell>{image.firmwareLine}</TableBodyCell><TableBodyCell class="mono"
								><a
									href="/images/{image.firmwareLine}/{image.version}"
									download={image.fileName}
									data-sveltekit-reload>{image.version}</a
								></TableBodyCell
							><TableBodyCell>{megabytes(image.bytes)}</TableBodyCell><TableBodyCell
								class="mono"
								title={image.sha256}>{image.sha256.slice(0, 16)}…</TableBodyCell
							><TableBodyCell class="quiet"><When at={image.uploadedAt} /></TableBodyCell><TableBodyCell
								><RecordsOf what="it" id={image.id} /></TableBodyCell
							></TableBodyRow
						>
					{/each}
				</TableBody>
			</Table>
		{/if}
	</section>
	{#if mayDo('upload image')}<form class="sheet p-4" onsubmit={upload}>
			<h2>Upload an image</h2>
			<Label for="line" class="mt-3">Firmware line</Label>
			<Select
				id="line"
				name="line"
				bind:value={line}
				items={data.lines.map((name) => ({ value: name, name }))}
				placeholder="Choose the line"
				class="mt-1"
			/>
			<Label for="version" class="mt-3">Version</Label>
			<Input
				id="version"
				name="version"
				bind:value={version}
				required
				maxlength={64}
				autocomplete="off"
				class="mono mt-1"
			/>
			<Label for="file" class="mt-3">File</Label>
			<Fileupload id="file" name="file" bind:files required class="mt-1" />
			<Button type="submit" class="mt-4" disabled={working}>{working ? 'Uploading …' : 'Upload image'}</Button
			>
			<FormWords form={outcome} />
		</form>{/if}
</div>

<style>
	.two {
		display: grid;
		grid-template-columns: minmax(0, 1fr) minmax(16rem, 24rem);
		gap: 2rem;
		align-items: start;
	}
	@media (max-width: 900px) {
		.two {
			grid-template-columns: minmax(0, 1fr);
		}
	}
</style>
