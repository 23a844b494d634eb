<script lang="ts">
	import { onMount } from 'svelte';
	import { Button, Checkbox, Timeline, TimelineItem } from 'flowbite-svelte';
	import { CLEAN_FOR_MS, STANCE_WORDS } from '$core/stance';
	import { counted } from '$core/text';
	import { ConfigText, PointedLines } from '$ui/config';
	import { FindingMeans, FindingText, HOW_WORDS, LeaveForm, VersionOrigin } from '$ui/drift';
	import { TextDifference } from '$ui/edit';
	import { act } from '$ui/forms';
	import { FormField, MenuLink, PageHead } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { clock, Serial, Standing, When } from '$ui/marks';
	import { FormWords, mayDo } from '$ui/people';
	import { StanceForm } from '$ui/stance';

	let { data, form } = $props();
	onMount(() => refreshOn(['archive', 'drift', 'sends']));
	const unit = $derived(data.unit);
	const drift = $derived(data.drift);
	const canBeHeld = $derived(
		data.stance?.stance === 'watch' &&
			drift?.state === 'as intended' &&
			clock.now - drift.since.getTime() >= CLEAN_FOR_MS
	);
	const maySend = $derived(mayDo('send', unit.customerId));
	const shown = $derived(data.versions.find(({ number }) => number === data.shown) ?? null);
	let whole = $state(false);
	let chosenLine = $state<number | null>(null);
	const here = (version: number | string, beside: number | string | null = null) =>
		`?version=${version}${beside === null ? '' : `&with=${beside}`}#text`;
	const nameOf = (side: number | 'intended' | null) =>
		side === 'intended' ? 'what it should run' : `version ${side}`;
	let leaving = $state<string | null>(null);
</script>

<PageHead title="What {unit.serial} runs">
	{#snippet name()}What <Serial serial={unit.serial} /> runs{/snippet}
	{#snippet state()}
		{#if drift?.state === 'as intended'}<Standing standing="through" word="as intended" />
		{:else if drift?.state === 'differs'}<Standing
				standing="stuck"
				word="differs in {counted(drift.findings, 'place')}"
			/>
		{:else if drift}<Standing standing="stalled" word="cannot be read" />{/if}
	{/snippet}
	{#snippet acts()}
		{#if drift?.state === 'differs' && maySend}<Button href="/units/{unit.id}/send?what=intended" size="sm"
				>Put all of it right</Button
			>{/if}
		{#if data.isConnected && mayDo('prove', unit.customerId)}<form method="POST" action="?/read" use:act>
				<Button type="submit" size="sm" color="alternative">Read it now</Button>
			</form>{/if}
		<Button href="/units/{unit.id}" size="sm" color="alternative">Back to the unit</Button>
	{/snippet}
	{#snippet more()}
		<MenuLink href="/units/{unit.id}/dialogue">What was said to it</MenuLink>
		<MenuLink href="/units/{unit.id}/send">Send what is due</MenuLink>
		<MenuLink href="/records/intended?unit={unit.id}">As intended, from when to when</MenuLink>
	{/snippet}
	{#snippet about()}<span>{unit.makerName} {unit.modelName} · {unit.customerName}</span>{#if drift}<span
				>so since <When at={drift.since} />, looked at <When at={drift.lookedAt} /></span
			>{/if}{/snippet}
</PageHead>
<FormWords {form} />
{#if drift?.words}<p class="mt-2">{drift.words}</p>{/if}

{#if data.findings.length > 0}
	<section class="mt-4">
		<h2>What differs</h2>
		<ul class="sheet mt-2">
			{#each data.findings as finding (finding.id)}
				<li data-finding={finding.id}>
					<p class="flex flex-wrap items-center gap-x-3">
						<FindingMeans touches={finding.touches} />
						<span class="quiet"
							>since <When at={finding.since} />, by {finding.byWhom ||
								'somebody who is not known'}{#if finding.elsewhere > 0},
								<a href="/upkeep/findings/{finding.id}">at {counted(finding.elsewhere, 'other unit')} too</a
								>{/if}</span
						>
						{#if finding.leftUntil}<span class="quiet"
								>left until {finding.leftUntil}: {finding.leftReason}</span
							>{/if}
					</p>
					<FindingText {finding} />
					{#if maySend}<div class="mt-1 flex flex-wrap gap-2">
							{#if finding.kind === 'unsaved'}<form method="POST" action="?/save" use:act>
									<input type="hidden" name="finding" value={finding.id} />
									<Button type="submit" size="xs">Have it saved</Button>
								</form>{:else}<Button href="/units/{unit.id}/send?what=part&finding={finding.id}" size="xs"
									>Put this right</Button
								>{/if}
							{#if finding.kind !== 'unsaved' && mayDo('set values', unit.customerId)}<Button
									href="/upkeep/findings/{finding.id}?accept={finding.id}"
									size="xs"
									color="alternative">Accept into the plan …</Button
								>{/if}
							{#if finding.leftUntil}<form method="POST" action="?/takeUp" use:act>
									<input type="hidden" name="finding" value={finding.id} />
									<Button type="submit" size="xs" color="alternative">Let it count again</Button>
								</form>{:else}<Button
									size="xs"
									color="alternative"
									aria-expanded={leaving === finding.id}
									onclick={() => (leaving = leaving === finding.id ? null : finding.id)}
									>Leave it for now</Button
								>{/if}
						</div>
						{#if leaving === finding.id}<div class="mt-2">
								<LeaveForm action="?/leave" ids={[finding.id]} />
							</div>{/if}{/if}
				</li>
			{/each}
		</ul>
	</section>
{/if}

{#if data.stance}<section class="mt-4 flex flex-wrap items-end gap-x-6 gap-y-2">
		{#if maySend}{#key data.stance.own}<StanceForm
					own={data.stance.own}
					further={data.stance.further}
					action="?/stance"
				/>{/key}{:else}<p>{STANCE_WORDS[data.stance.stance]}.</p>{/if}
		{#if data.stance.from === 'new'}<p class="quiet">It is new here, and watched for its first three days.</p>
		{:else if canBeHeld}<p class="quiet">
				As intended since <When at={drift!.since} />: it can well be held.
			</p>{/if}
	</section>{/if}

{#if data.versions.length === 0}
	<p class="sheet mt-4 p-6">
		Nothing is kept of it yet. {#if data.isConnected}<b>Read it now</b> takes what it runs into the archive.{:else}It
			is read when it is connected.{/if}
	</p>
{:else}
	<div class="two mt-5">
		<section>
			<h2>Versions</h2>
			<Timeline order="default" class="mt-2" aria-label="What it ran, newest first">
				{#each data.versions as version (version.id)}
					<TimelineItem
						title="Version {version.number}: {HOW_WORDS[version.how]}{version.byWhom
							? ` by ${version.byWhom}`
							: ''}"
						date=""
						color={version.how === 'outside' ? 'orange' : 'primary'}
						data-version={version.number}
					>
						<p class="quiet text-sm">
							<When at={version.at} />: {counted(version.lines, 'line')}{version.firmware
								? `, firmware ${version.firmware}`
								: ''}, seen until <When at={version.seenAt} />
						</p>
						{#if version.pinReason}<p><b>Pinned</b> by {version.pinnedBy}: {version.pinReason}</p>{/if}
						{#if version.handover}<p class="quiet text-sm">
								Kept: the handover of <When at={version.handover} /> refers to it.
							</p>{/if}
						<p class="flex flex-wrap gap-x-3 text-sm">
							<a
								href={here(version.number)}
								aria-current={data.shown === version.number && data.beside === null ? 'true' : undefined}
								>its text</a
							>
							{#if version.number !== data.versions.at(-1)?.number}<a
									href={here(version.number, version.number - 1)}>what changed</a
								>{/if}
							<a href={here('intended', version.number)}>beside what it should run</a>
							{#if maySend && version.number !== data.versions[0]?.number}<a
									href="/units/{unit.id}/send?what=restore&version={version.id}">go back to it</a
								>{/if}
						</p>
					</TimelineItem>
				{/each}
			</Timeline>
		</section>
		<section id="text">
			{#if data.two}
				<div class="flex flex-wrap items-baseline justify-between gap-x-4">
					<h2>From {nameOf(data.beside)} to {nameOf(data.shown)}</h2>
					<Checkbox bind:checked={whole}>the whole text</Checkbox>
				</div>
				{#if data.two.before === data.two.after}<p class="mt-2">They mean the same.</p>{:else}
					{#key `${data.two.before}\n${data.two.after}`}<TextDifference
							before={data.two.before}
							after={data.two.after}
							label="What differs"
							{whole}
						/>{/key}
				{/if}
			{:else if data.text !== null}
				<h2>{shown ? `Version ${shown.number}` : 'What it should run'}</h2>
				{#if data.outline.length > 1}<nav
						aria-label="Sections"
						class="mt-1 flex flex-wrap gap-x-4 gap-y-1 text-sm"
					>
						{#each data.outline as section (section.name)}<button
								type="button"
								class="link"
								onclick={() => (chosenLine = section.statements[0]!.line)}
								>{section.name} <span class="quiet">{section.statements.length}</span></button
							>{/each}
					</nav>{/if}
				{#if data.origins}{@const { lines, origins, oldest } = data.origins}
					{#key data.shown}<PointedLines
							lines={data.text
								.replace(/\n$/, '')
								.split('\n')
								.map((text) => ({ text }))}
							label="Its text"
							begin={chosenLine}
							>{#snippet told(at)}{@const origin = lines[at]}{#if typeof origin === 'number'}<VersionOrigin
										origin={origins[origin]!}
										{oldest}
									/>{:else}<span>says nothing by itself</span>{/if}{/snippet}</PointedLines
						>{/key}
				{:else}<ConfigText text={data.text} label="Its text" mark={chosenLine} />{/if}
				<p class="mt-2 flex flex-wrap items-end gap-3">
					{#if shown}<a href="/units/{unit.id}/versions/{shown.number}" download>Download it</a>{/if}
				</p>
				{#if shown && maySend}
					{#if shown.pinReason}<form method="POST" action="?/unpin" use:act class="mt-2">
							<input type="hidden" name="version" value={shown.id} />
							<Button type="submit" size="sm" color="alternative">Take the pin away</Button>
						</form>{:else}<form
							method="POST"
							action="?/pin"
							use:act
							class="mt-2 flex flex-wrap items-end gap-3"
						>
							<input type="hidden" name="version" value={shown.id} />
							<FormField
								label="Known good, because"
								name="why"
								required
								maxlength={500}
								class="grow"
								autocomplete="off"
							/>
							<Button type="submit" size="sm" color="alternative">Pin version {shown.number}</Button>
						</form>{/if}
				{/if}
			{/if}
		</section>
	</div>
{/if}

<style>
	.two {
		--columns: minmax(0, 2fr) minmax(0, 3fr);
	}
	.link {
		color: var(--pine);
		text-decoration: underline;
	}
	[aria-current] {
		font-weight: 700;
	}
</style>
