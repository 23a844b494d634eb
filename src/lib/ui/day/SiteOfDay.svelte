<script lang="ts">
	import { FormField } from '$ui/kit';
	import { untrack } from 'svelte';
	import { Button } from 'flowbite-svelte';
	import { act } from '$ui/forms';
	import { checkPhrase, standingWords } from '$core/onboarding';
	import { UPLINK_WORDS } from '$core/profile';
	import {
		mapLink,
		meaningOf,
		type Day,
		type DayPosition,
		type DaySite,
		type DayEntry,
		type Scanned
	} from '$core/day';
	import { ExpectedEnd, Track } from '../arrivals';
	import { SignatureField } from '../handover';
	import { clock, Serial, hourOf, Standing } from '../marks';
	import { ScanLabel } from '../scan';
	import { smallPhoto, type DayWork } from './work.svelte';

	/** One site on a technician's phone: how to get in, its positions, and what can be done at each without signal. */
	interface Props {
		site: DaySite;
		day: Day;
		work: DayWork;
		back: () => void;
		/** Whether there is signal. */
		online: boolean;
	}
	let { site, day, work, back, online }: Props = $props();

	const map = $derived(mapLink(site));
	let typed = $state('');
	let read = $state.raw<Scanned | null>(null);
	let note = $state('');
	let noteAt = $state('');
	let photoProblem = $state('');

	const waitingAt = (position: DayPosition) =>
		work.waiting.find((entry) => entry.kind === 'bind' && entry.positionId === position.id);
	const mine = $derived(work.waiting.filter(({ siteId }) => siteId === site.id));
	const said = (entry: DayEntry) =>
		entry.kind === 'bind'
			? `${entry.serial} at ${site.positions.find(({ id }) => id === entry.positionId)?.name ?? ''}`
			: entry.kind === 'note'
				? `Note: ${entry.text.slice(0, 60)}`
				: entry.kind === 'signature'
					? `Signature of ${entry.name}`
					: 'A photo';

	function look(text: string) {
		read = text.trim() === '' ? null : meaningOf(text, site, day.units);
	}
	async function bind(position: DayPosition) {
		if (read?.kind !== 'fits') return;
		const { serial } = read.unit;
		read = null;
		typed = '';
		await work.add({ kind: 'bind', siteId: site.id, positionId: position.id, serial });
	}
	/** The card of a position was scanned after a unit's label: that is where it goes. */
	let cardProblem = $state('');
	async function takeCard(positionId: string) {
		const position = site.positions.find(({ id }) => id === positionId);
		const fits = read?.kind === 'fits' && read.positions.some(({ id }) => id === positionId);
		cardProblem = !position
			? `This card belongs to no position at ${site.name}.`
			: read?.kind !== 'fits'
				? `This is ${position.name}. Scan the label of its unit, then this card again.`
				: !fits
					? `${position.name} does not want this unit.`
					: '';
		if (position && fits) await bind(position);
	}
	async function write() {
		const text = note.trim();
		if (text === '') return;
		note = '';
		await work.add({ kind: 'note', siteId: site.id, positionId: noteAt || null, text });
	}
	let signer = $state(untrack(() => site.contact.split(',')[0] ?? ''));
	let strokes = $state('');
	async function sign() {
		const [name, kept] = [signer.trim(), strokes];
		if (name === '' || kept === '') return;
		strokes = '';
		await work.add({ kind: 'signature', siteId: site.id, positionId: null, name, strokes: kept });
	}
	async function photograph(files: FileList | null) {
		photoProblem = '';
		for (const file of files ?? [])
			try {
				const image = await smallPhoto(file);
				await work.add({
					kind: 'photo',
					siteId: site.id,
					positionId: noteAt || null,
					image,
					caption: note.trim()
				});
			} catch {
				photoProblem = 'This is no photo that can be opened.';
			}
	}
</script>

<div class="flex items-baseline gap-4">
	<button type="button" class="back" onclick={back}>‹ All sites</button>
</div>
<h1 class="mt-1">{site.name}</h1>
<p class="quiet">{site.customerName}</p>
<dl class="facts mt-2">
	{#if site.appointmentAt !== null}<dt>When</dt>
		<dd>
			{hourOf(site.appointmentAt, site.timeZone)}{site.accessHours ? `; open ${site.accessHours}` : ''}
		</dd>{/if}
	<dt>Where</dt>
	<dd>
		{#if map}<a href={map}>{site.address || 'on the map'}</a>{:else}{site.address ||
				'not known'}{/if}{#if site.directions}<span class="block">{site.directions}</span>{/if}
	</dd>
	{#if site.contact}<dt>Who</dt>
		<dd>
			{site.contact}{#if site.phone}, <a href="tel:{site.phone.replace(/\s/g, '')}">{site.phone}</a>{/if}
		</dd>{/if}
	<dt>Uplink</dt>
	<dd>
		{UPLINK_WORDS[site.uplink]}<a class="block" href="/sites/{site.id}/network">What the network has to say</a
		><a class="block" href="/sites/{site.id}/bundle">Files for a USB stick</a>
	</dd>
</dl>

<section class="mt-4" aria-label="Scan">
	<ScanLabel
		models={day.models}
		large
		words="Scan a label"
		oncard={(positionId) => void takeCard(positionId)}
		onread={([label]) => {
			cardProblem = '';
			typed = label?.serial ?? '';
			look(typed);
		}}
	/>
	<form
		class="mt-2 flex gap-2"
		onsubmit={(event) => {
			event.preventDefault();
			look(typed);
		}}
	>
		<FormField
			label="Serial number or its end"
			bare
			mono
			class="big"
			bind:value={typed}
			placeholder="or type its end"
			autocomplete="off"
			autocapitalize="characters"
			spellcheck="false"
		/>
		<Button type="submit" color="alternative" class="big">Find</Button>
	</form>
	<div aria-live="polite">
		{#if cardProblem}<p class="mt-2 font-semibold">{cardProblem}</p>{/if}
		{#if read?.kind === 'no'}<p class="mt-2 font-semibold text-[var(--brick)]">{read.why}</p>
		{:else if read?.kind === 'here'}<p class="mt-2">
				<b>{read.position.name}</b> has <Serial serial={read.unit.serial} /> already.
			</p>
		{:else if read?.kind === 'several'}<p class="mt-2">Several end so. Which one is it?</p>
			<ul>
				{#each read.units as unit (unit.id)}<li class="mt-2">
						<Button
							color="alternative"
							class="big w-full"
							onclick={() => {
								typed = unit.serial;
								look(unit.serial);
							}}><Serial serial={unit.serial} />, {unit.modelName}</Button
						>
					</li>{/each}
			</ul>
		{:else if read?.kind === 'fits'}
			<p class="mt-2"><Serial serial={read.unit.serial} />, {read.unit.modelName}</p>
			<p class="quiet">Scan the card of its position, or choose:</p>
			{#each read.positions as position (position.id)}<Button
					class="big mt-2 w-full"
					onclick={() => void bind(position)}>Bind it to {position.name}</Button
				>{/each}
		{/if}
	</div>
</section>

{#if site.ends && site.ends.latest > clock.now}<p class="mt-4">
		<ExpectedEnd ends={site.ends} from={null} zone={site.timeZone} />
	</p>{/if}
<ul class="mt-4" aria-label="Positions">
	{#each site.positions as position (position.id)}
		{@const waits = waitingAt(position)}
		<li
			class="sheet mt-3 p-3"
			data-position={position.name}
			data-standing={waits ? 'to be sent' : position.standing}
		>
			<div class="flex items-baseline justify-between gap-3">
				<b>{position.name}</b>
				{#if waits}<span class="quiet">to be sent</span>{:else}<Standing
						standing={position.standing}
						word={position.standing === 'open'
							? 'no unit'
							: position.standing === 'waiting'
								? 'not heard yet'
								: position.standing === 'online'
									? 'online, proven'
									: standingWords(position.standing, position.step)}
					/>{/if}
			</div>
			<div class="quiet">{position.roleName}</div>
			{#if position.serial}
				<div class="mt-1"><Serial serial={position.serial} /></div>
				<div class="quiet">
					Check: <b class="text-[var(--ink)]">{checkPhrase(position.serial, position.id)}</b>
				</div>
				{#if !waits && position.step}<Track
						step={position.step}
						standing={position.standing === 'online'
							? 'through'
							: position.standing === 'open'
								? 'waiting'
								: position.standing}
					/>{/if}
			{/if}
			{#if position.advice}<p class="mt-1">{position.advice}</p>{/if}
			{#if position.serial && online && ['waiting', 'stuck', 'stalled'].includes(position.standing)}<p
					class="mt-1"
				>
					<a href="/find?q={position.serial}">What is wrong with it? Answer a few questions</a>
				</p>{/if}
			{#if (position.standing === 'stuck' || position.standing === 'stalled') && !waits}
				<form method="POST" action="/sites/{site.id}?/retry" use:act class="mt-2">
					<input type="hidden" name="position" value={position.id} />
					<Button type="submit" class="big w-full" color="alternative" disabled={!online}
						>{online ? 'Let it try again' : 'Let it try again: needs signal'}</Button
					>
				</form>
			{/if}
			{#if waits}<Button
					size="sm"
					color="alternative"
					class="mt-2"
					onclick={() => void work.takeBack(waits.id)}>Take it back</Button
				>{/if}
		</li>
	{:else}<li>No position is planned here.</li>{/each}
</ul>

<section class="mt-5" aria-label="Notes and photos">
	<h2>A note or a photo</h2>
	<FormField label="About" kind="select" class="big" bind:value={noteAt}
		><option value="">the site</option>{#each site.positions as position (position.id)}<option
				value={position.id}>{position.name}</option
			>{/each}</FormField
	>
	<FormField label="Note" bare kind="lines" rows={3} bind:value={note} maxlength={2000} />
	<div class="mt-2 flex gap-2">
		<Button class="big grow" color="alternative" disabled={note.trim() === ''} onclick={() => void write()}
			>Keep the note</Button
		>
		<label class="photo big"
			><input
				type="file"
				accept="image/*"
				capture="environment"
				class="sr-only"
				aria-label="Photo of the installed unit"
				onchange={({ currentTarget }) => void photograph(currentTarget.files)}
			/>Take a photo</label
		>
	</div>
	{#if photoProblem}<p class="mt-1 text-[var(--brick)]" role="alert">{photoProblem}</p>{/if}
</section>

<section class="mt-5" aria-label="Signature">
	<h2>Accepted on site</h2>
	<p class="quiet">Whoever is here signs that the work was shown to them. It goes into the handover.</p>
	<FormField label="Name of who signs" bind:value={signer} maxlength={200} autocomplete="off" class="mt-2" />
	<div class="mt-2"><SignatureField bind:path={strokes} /></div>
	<Button
		class="big mt-2 w-full"
		color="alternative"
		disabled={strokes === '' || signer.trim() === ''}
		onclick={() => void sign()}>Keep the signature</Button
	>
</section>

<section class="mt-5" aria-label="What waits">
	{#if mine.length > 0}
		<h2>To be sent from here</h2>
		<ul class="mt-1" aria-label="To be sent from here">
			{#each mine as entry (entry.id)}<li class="flex items-baseline justify-between gap-3 py-1">
					<span>{said(entry)}</span><button
						type="button"
						class="back"
						onclick={() => void work.takeBack(entry.id)}>Take back</button
					>
				</li>{/each}
		</ul>
	{/if}
</section>

<style>
	:global(.big) {
		min-height: 48px;
	}
	.back {
		color: var(--pine);
		text-decoration: underline;
		text-underline-offset: 2px;
		min-height: 40px;
	}
	.photo {
		display: inline-flex;
		align-items: center;
		justify-content: center;
		flex-grow: 1;
		border: 1px solid var(--pine);
		border-radius: 8px;
		color: var(--pine);
		font-weight: 600;
		cursor: pointer;
	}
	.photo:focus-within {
		outline: 2px solid var(--marigold);
		outline-offset: 2px;
	}
</style>
