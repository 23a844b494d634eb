<script lang="ts">
	import { page } from '$app/state';
	import { counted } from '$core/text';
	import { act } from '$ui/forms';
	import { Form, FormField, PageHead } from '$ui/kit';
	import { Button, Fileupload, Input, Label, Select } from 'flowbite-svelte';
	import { loadAnew } from '$ui/live';
	import { UpkeepRooms } from '$ui/drift';
	import { Standing, When } from '$ui/marks';
	import { FormWords, mayDo, RecordsOf } from '$ui/people';

	const STATES = ['allowed', 'preferred', 'withdrawn'] as const;

	let { data, form } = $props();
	let editing = $state<string | null>(null);
	let standing = $state<string>('allowed');
	let targetLine = $state('');
	const whose = $derived({ site: page.url.searchParams.get('site') });
	const offered = $derived(
		data.images.filter((image) => image.firmwareLine === targetLine && image.state !== 'withdrawn')
	);
	const running = (firmwareLine: string, one: string) =>
		data.runs.find(({ line: of, version: runs }) => of === firmwareLine && runs === one)?.units ?? 0;
	let working = $state(false);
	let line = $state('');
	let version = $state('');
	let files = $state<FileList>();
	let signatures = $state<FileList>();
	let outcome = $state<{ said?: string; problem?: string } | null>(null);

	/** A signature's file, binary or as base64 already. */
	async function asBase64(file: File): Promise<string> {
		const octets = new Uint8Array(await file.slice(0, 2000).arrayBuffer());
		const text = String.fromCharCode(...octets);
		const compact = text.replace(/\s/g, '');
		return /^[A-Za-z0-9+/]+={0,2}$/.test(compact) ? compact : btoa(text);
	}

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
		const signature = data.signed.includes(line) ? signatures?.[0] : undefined;
		const path = `/upkeep/images/${encodeURIComponent(line)}/${encodeURIComponent(version.trim())}`;
		try {
			const answer = await fetch(`${path}?name=${encodeURIComponent(file.name)}`, {
				method: 'PUT',
				body: file,
				headers: signature ? { 'image-signature': await asBase64(signature) } : {}
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
	{#snippet acts()}{#if mayDo('send')}<form
				method="POST"
				action="/arrivals/rollouts?/draft"
				use:act
				class="contents"
			>
				<Button type="submit" name="kind" value="firmware" size="sm">Plan a rollout for old firmware</Button>
			</form>{/if}{/snippet}
	{#snippet about()}<UpkeepRooms />{/snippet}
</PageHead>
<FormWords {form} />
<div class="two mt-4">
	<div class="min-w-0">
		<section>
			<h2>Images</h2>
			{#if data.images.length === 0}<p class="sheet mt-2 p-5">
					There are no images yet. A profile with a firmware target waits for one.
				</p>{:else}
				<ul class="sheet mt-2">
					{#each data.images as image (image.id)}
						{@const runs = running(image.firmwareLine, image.version)}
						<li data-image="{image.firmwareLine} {image.version}">
							<p class="flex flex-wrap items-baseline gap-x-3">
								<a
									class="font-semibold"
									href="/upkeep/images/{image.firmwareLine}/{image.version}"
									download={image.fileName}
									data-sveltekit-reload>{image.firmwareLine} <span class="mono">{image.version}</span></a
								>
								{#if image.state === 'withdrawn'}<Standing
										standing="stuck"
										word="withdrawn"
									/>{:else if image.state === 'preferred'}<Standing
										standing="through"
										word="preferred"
									/>{/if}
								{#if runs > 0}<a href="/units?version={encodeURIComponent(image.version)}"
										>{image.state === 'withdrawn' ? 'still on ' : 'on '}{counted(runs, 'unit')}</a
									>{:else}<span class="quiet">on no unit</span>{/if}
								<span class="quiet"
									>{megabytes(image.bytes)}, <When at={image.uploadedAt} />,
									<span class="mono" title={image.sha256}>{image.sha256.slice(0, 12)}…</span
									>{#if image.signedBy}, signed by the key
										<span class="mono" title={image.signedBy}>{image.signedBy.slice(0, 12)}…</span
										>{:else if data.signed.includes(image.firmwareLine)}, not signed{/if}</span
								>
								<RecordsOf what="it" id={image.id} />
							</p>
							{#if image.stateReason}<p>{image.stateReason}</p>{/if}
							{#if image.notes}<p class="quiet whitespace-pre-line">{image.notes}</p>{/if}
							{#if mayDo('send') && image.state !== 'withdrawn' && editing !== image.id}<form
									method="POST"
									action="/arrivals/rollouts?/draft"
									use:act
									class="contents"
								>
									<input type="hidden" name="kind" value="firmware" />
									<input type="hidden" name="line" value={image.firmwareLine} />
									<Button
										type="submit"
										name="version"
										value={image.version}
										size="xs"
										color="alternative"
										class="mt-1 mr-2">Roll it out</Button
									>
								</form>{/if}
							{#if mayDo('upload image')}{#if editing === image.id}<Form
										action="?/state"
										casual
										onanswer={() => void (editing = null)}
									>
										{#snippet children({ busy })}
											<input type="hidden" name="image" value={image.id} />
											<input type="hidden" name="edit" value={image.edit} />
											<div class="mt-2 flex flex-wrap items-end gap-3">
												<FormField
													label="It is"
													name="state"
													kind="select"
													bind:value={standing}
													items={STATES.map((value) => ({ value, name: value }))}
												/>
												{#if standing === 'withdrawn'}<FormField
														label="Why"
														name="reason"
														stored={image.stateReason}
														maxlength={500}
														class="grow"
													/>{/if}
											</div>
											<FormField
												label="Notes"
												name="notes"
												kind="lines"
												rows={3}
												stored={image.notes}
												class="mt-2"
											/>
											<div class="mt-2 flex gap-2">
												<Button type="submit" size="xs" disabled={busy}>Keep it</Button>
												<Button size="xs" color="alternative" onclick={() => (editing = null)}>Cancel</Button>
											</div>
										{/snippet}
									</Form>{:else}<Button
										size="xs"
										color="alternative"
										class="mt-1"
										onclick={() => {
											editing = image.id;
											standing = image.state;
										}}>State and notes</Button
									>{/if}{/if}
						</li>
					{/each}
				</ul>
			{/if}
		</section>
		<section class="mt-6">
			<h2>Targets of their own</h2>
			<p class="quiet">
				What units are to run is said by their profile. Here it is said otherwise for a customer, a site or a
				position; the innermost counts.
			</p>
			{#if data.targets.length > 0}<ul class="sheet mt-2">
					{#each data.targets as target (target.id)}<li class="flex flex-wrap items-baseline gap-x-3">
							<b
								>{#if target.siteId}<a href="/sites/{target.siteId}">{target.name}</a
									>{:else}{target.name}{/if}</b
							>
							<span>{target.firmwareLine} <span class="mono">{target.version}</span></span>
							<span class="quiet"
								>{target.of === 'customer' ? '' : `${target.customer}, `}by {target.byWhom}, <When
									at={target.at}
								/>{target.reason ? `: ${target.reason}` : ''}</span
							>
							{#if mayDo('upload image', target.customerId)}<form
									method="POST"
									action="?/drop"
									use:act
									class="ml-auto"
								>
									<input type="hidden" name="target" value={target.id} />
									<Button type="submit" size="xs" color="alternative">Let the profile say it</Button>
								</form>{/if}
						</li>{/each}
				</ul>{/if}
			{#if mayDo('upload image')}<Form
					action="?/target"
					casual
					class="sheet mt-2 flex flex-wrap items-end gap-3 p-4"
				>
					{#snippet children({ busy })}
						{#if whose.site}<input type="hidden" name="site" value={whose.site} />
							<p class="w-full">For this site.</p>
						{:else}<FormField
								label="For"
								name="customer"
								kind="select"
								none="choose a customer"
								items={page.data.customers.map(({ id, name }: { id: string; name: string }) => ({
									value: id,
									name
								}))}
							/>{/if}
						<FormField
							label="Firmware line"
							name="line"
							kind="select"
							bind:value={targetLine}
							none="choose the line"
							items={data.lines.map((name) => ({ value: name, name }))}
						/>
						<FormField
							label="Version"
							name="version"
							kind="select"
							none="choose the version"
							value={offered.find((image) => image.state === 'preferred')?.version ?? ''}
							items={offered.map((image) => ({
								value: image.version,
								name: image.state === 'preferred' ? `${image.version}, preferred` : image.version
							}))}
						/>
						<FormField
							label="Reason"
							name="reason"
							maxlength={500}
							hint="Needed where it is older than what runs."
						/>
						<Button type="submit" disabled={busy}>Set it</Button>
					{/snippet}
				</Form>{/if}
		</section>
	</div>
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
			{#if data.signed.includes(line)}<Label for="signature" class="mt-3">Its signature</Label>
				<Fileupload id="signature" name="signature" bind:files={signatures} class="mt-1" />
				<p class="quiet mt-1">As the maker gives it, in a file of its own, binary or base64.</p>{/if}
			<Button type="submit" class="mt-4" disabled={working}>{working ? 'Uploading …' : 'Upload image'}</Button
			>
			<FormWords form={outcome} />
		</form>{/if}
</div>
