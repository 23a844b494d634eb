<script lang="ts">
	import {
		Accordion,
		AccordionItem,
		Badge,
		Button,
		Checkbox,
		Fileupload,
		Kbd,
		Label,
		Progressbar,
		Radio,
		Skeleton,
		TabItem,
		TableBody,
		TableBodyCell,
		TableBodyRow,
		TableHead,
		TableHeadCell,
		Tabs,
		Timeline,
		TimelineItem,
		Tooltip
	} from 'flowbite-svelte';
	import { RUN_STEPS } from '$core/onboarding';
	import { Crossing, Track } from '$ui/arrivals';
	import { Grid } from '$ui/grid';
	import { DateField, Dialog, Facts, FormField, Menu, MenuLink, Notice, PageHead, Table } from '$ui/kit';
	import { Serial, Standing, When, type Shown } from '$ui/marks';

	const STANDINGS: readonly Shown[] = [
		'open',
		'waiting',
		'moving',
		'late',
		'stalled',
		'stuck',
		'through',
		'not-heard',
		'retired'
	];
	const COUNTS = Object.fromEntries(RUN_STEPS.map((step, index) => [step, index * 3])) as Record<
		(typeof RUN_STEPS)[number],
		number
	>;
	let open = $state(false);
	let text = $state('A value');
	let choice = $state('two');
	let moment = $state('2026-12-01 09:30');
	let radio = $state('one');
	let tab = $state('first');
</script>

<PageHead title="Components">
	{#snippet state()}<Badge color="yellow">draft 2</Badge>{/snippet}
	{#snippet acts()}
		<Button size="sm">The main act</Button>
		<Button size="sm" color="alternative">Another act</Button>
		<Button size="sm" color="alternative" disabled>Not now</Button>
	{/snippet}
	{#snippet more()}<MenuLink href="#tables">To the tables</MenuLink><MenuLink href="#forms"
			>To the forms</MenuLink
		>{/snippet}
	{#snippet about()}<span>What pages are made of, in every state. Only the demo has this page.</span
		>{/snippet}
</PageHead>

<Facts>
	<div>
		<dt>Where</dt>
		<dd>142 Beacon Street, Greymouth</dd>
	</div>
	<div>
		<dt>When</dt>
		<dd><When at={0} /></dd>
	</div>
	<div>
		<dt>Unit</dt>
		<dd><Serial serial="OG2K25869177" /></dd>
	</div>
</Facts>

<section class="mt-6 grid gap-2">
	<h2>What is said</h2>
	<Notice kind="done">Bound OG2K 2586 9177 to gw-1 at Greymouth clinic.</Notice>
	<Notice kind="careful">Its uplink is cellular, and its SIM card is not known.</Notice>
	<Notice kind="wrong">There is a site “Nelson clinic” already. Nothing was changed.</Notice>
	<p>
		<Badge>in force</Badge>
		<Badge color="yellow">draft</Badge>
		<Badge color="red">too few</Badge>
		<Badge color="gray">nothing released</Badge>
	</p>
	<p class="flex flex-wrap gap-4">
		{#each STANDINGS as standing (standing)}<Standing {standing} />{/each}
	</p>
	<p><Kbd>g</Kbd> <Kbd>Enter</Kbd></p>
</section>

<section class="mt-6">
	<h2>On the way</h2>
	<Crossing counts={COUNTS} chosen="firmware" hrefOf={(at) => `#${at ?? ''}`} />
	<div class="mt-2 grid max-w-2xl gap-2">
		<Track step="firmware" standing="moving" wide />
		<Track step="configuration" standing="stuck" />
		<Track step="online" standing="through" />
	</div>
	<div class="mt-3 max-w-md">
		<Progressbar progress={62} role="progressbar" aria-valuenow={62} aria-label="Positions done" />
	</div>
	<div class="mt-3 max-w-md"><Skeleton size="sm" /></div>
</section>

<section class="mt-6" id="forms">
	<h2>Forms</h2>
	<div class="mt-2 grid gap-4 md:grid-cols-3">
		<FormField label="Text" bind:value={text} hint="What it is for." />
		<FormField label="Wrong" value="x" problem="A name has 3 characters at least." />
		<FormField label="Not now" value="as it is" disabled />
		<FormField
			label="Choice"
			kind="select"
			bind:value={choice}
			none="none of them"
			items={[
				{ value: 'one', name: 'the first' },
				{ value: 'two', name: 'the second' }
			]}
		/>
		<FormField label="Lines" kind="lines" rows={3} value="One line, and another" />
		<FormField label="Serial number" mono value="OG2K25869177" />
		<DateField
			label="Appointment"
			name="moment"
			bind:value={moment}
			zone="Pacific/Auckland"
			hint="In the site’s time, Pacific/Auckland."
		/>
		<div>
			<Label for="file-shown">A file</Label>
			<Fileupload id="file-shown" />
		</div>
		<div>
			<Checkbox checked>give it addresses</Checkbox>
			<Checkbox disabled>not offered</Checkbox>
			<Radio name="shown" value="one" bind:group={radio}>the first</Radio>
			<Radio name="shown" value="two" bind:group={radio}>the second</Radio>
		</div>
	</div>
</section>

<section class="mt-6">
	<h2>What opens</h2>
	<div class="mt-2 flex flex-wrap items-center gap-3">
		<Menu label="A menu"
			><MenuLink href="#forms">To the forms</MenuLink><MenuLink href="#tables">To the tables</MenuLink></Menu
		>
		<Button size="sm" color="alternative" onclick={() => (open = true)}>A dialog</Button>
		<Button size="sm" color="alternative" id="with-tip">A hint</Button>
		<Tooltip triggeredBy="#with-tip">What it does, in a few words</Tooltip>
	</div>
	<Dialog bind:open title="Before this is done"><p>It interrupts one site: Nelson clinic.</p></Dialog>
	<Accordion flush class="mt-3">
		<AccordionItem open transitionType="none">
			{#snippet header()}Opened{/snippet}
			<p>What is inside.</p>
		</AccordionItem>
		<AccordionItem transitionType="none">
			{#snippet header()}Closed{/snippet}
			<p>Not seen yet.</p>
		</AccordionItem>
	</Accordion>
	<div class="mt-3">
		<Tabs bind:selected={tab} tabStyle="underline">
			<TabItem key="first" title="First" open={tab === 'first'}><p>The first tab.</p></TabItem>
			<TabItem key="second" title="Second" open={tab === 'second'}><p>The second tab.</p></TabItem>
		</Tabs>
	</div>
</section>

<section class="mt-6 grid gap-6 md:grid-cols-2" id="tables">
	<div>
		<h2>Tables</h2>
		<Table classes={{ div: 'mt-2' }}>
			<TableHead><TableHeadCell>Site</TableHeadCell><TableHeadCell>Positions</TableHeadCell></TableHead>
			<TableBody>
				{#each ['Nelson clinic', 'Motueka clinic'] as name, index (name)}<TableBodyRow
						><TableBodyCell>{name}</TableBodyCell><TableBodyCell>{index + 2}</TableBodyCell></TableBodyRow
					>{/each}
			</TableBody>
		</Table>
	</div>
	<div>
		<h2>What a unit said</h2>
		<Timeline order="default" class="mt-2">
			<TimelineItem title="bootstrap-complete → online" date="10:02:11"
				><p>running equals intended</p></TimelineItem
			>
			<TimelineItem title="boot-image-mismatch → firmware" date="09:58:40"
				><p>runs 6.8.2, wanted 7.0.3</p></TimelineItem
			>
		</Timeline>
	</div>
</section>
<section class="mt-6">
	<h2>Long lists</h2>
	<div class="mt-2">
		<Grid
			label="A long list"
			count={1000}
			columns={[
				{ id: 'number', title: 'Number', width: 8 },
				{ id: 'words', title: 'Words', width: 20, grows: true },
				{ id: 'more', title: 'More', width: 12, wide: true }
			]}
		>
			{#snippet cell(index, { id })}{id === 'number'
					? index + 1
					: id === 'words'
						? `Row ${index + 1}`
						: ''}{/snippet}
		</Grid>
	</div>
</section>
