<script lang="ts">
	import { onMount } from 'svelte';
	import { Button, TableBody, TableBodyCell, TableBodyRow, TableHead, TableHeadCell } from 'flowbite-svelte';
	import { Form, FormField, PageHead, Table } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { When } from '$ui/marks';
	import { FormWords } from '$ui/people';
	import { EVERY, RunStanding } from '$ui/survey';

	let { data, form } = $props();
	onMount(() => refreshOn(['surveys'], { rest: 700 }));
	const customers = $derived(data.mine.map(({ id, name }) => ({ value: id, name })));
</script>

<PageHead title="Surveys">
	{#snippet acts()}<Button href="/addresses/logins" size="sm" color="alternative">Logins</Button><Button
			href="/addresses/ways"
			size="sm"
			color="alternative">Ways in</Button
		><Button href="/addresses" size="sm" color="alternative">Addresses</Button>{/snippet}
	{#snippet about()}<span
			>What is at a place, and what is plugged into what: from one or two addresses on, each unit is asked for
			its neighbours. Nothing outside of the ranges is touched.</span
		>{/snippet}
</PageHead>
<FormWords {form} />

<div class="two mt-4">
	<div class="min-w-0">
		{#if data.surveys.length === 0}<p class="sheet p-6">
				Nothing was surveyed yet. <a href="/addresses/logins">Keep a login</a> for the addresses, then say where
				to begin: the address of one unit is enough.
			</p>{:else}<Table>
				<TableHead
					><TableHeadCell>Survey</TableHeadCell><TableHeadCell>Customer</TableHeadCell><TableHeadCell
						>Begins at</TableHeadCell
					><TableHeadCell>Found</TableHeadCell><TableHeadCell>Last</TableHeadCell></TableHead
				>
				<TableBody>
					{#each data.surveys as one (one.id)}<TableBodyRow
							><TableBodyCell
								><a class="font-semibold" href="/addresses/surveys/{one.id}">{one.name}</a><span
									class="quiet block">{EVERY[one.every]}</span
								></TableBodyCell
							><TableBodyCell>{one.customer}</TableBodyCell><TableBodyCell class="mono"
								>{one.begins.slice(0, 3).join(', ')}{one.begins.length > 3
									? ` and ${one.begins.length - 3} more`
									: ''}<span class="quiet block">in {one.ranges.join(', ')}</span></TableBodyCell
							><TableBodyCell
								>{#if one.last}{one.last.inside} let in<span class="quiet block"
										>of {one.last.seen} addresses</span
									>{/if}</TableBodyCell
							><TableBodyCell
								>{#if one.last}<RunStanding run={one.last} /><span class="quiet block"
										><When at={one.last.begunAt} /> by {one.last.byWhom}</span
									>{/if}</TableBodyCell
							></TableBodyRow
						>{/each}
				</TableBody>
			</Table>{/if}
	</div>
	{#if customers.length > 0}<Form action="?/begin" casual class="sheet p-4">
			{#snippet children({ busy })}
				<h2>Survey</h2>
				<FormField class="mt-2" label="Of" kind="select" name="customer" items={customers} />
				<FormField
					class="mt-3"
					label="Name"
					name="name"
					required
					maxlength={120}
					autocomplete="off"
					hint="One of the same name takes the place of the one before."
				/>
				<FormField
					class="mt-3"
					label="Begin at"
					name="begins"
					mono
					required
					maxlength={4000}
					placeholder="10.40.40.1"
					hint="Addresses, or ranges."
					autocomplete="off"
				/>
				<FormField
					class="mt-3"
					label="Only within"
					name="ranges"
					mono
					required
					maxlength={4000}
					placeholder="10.40.0.0/16"
					autocomplete="off"
				/>
				<FormField
					class="mt-3"
					label="Again"
					kind="select"
					name="every"
					items={Object.entries(EVERY).map(([value, name]) => ({ value, name }))}
				/>
				<details class="mt-3">
					<summary>Bounds</summary>
					<div class="mt-2 grid grid-cols-2 gap-3">
						<FormField label="Steps from there" name="deepest" kind="number" min="0" max="50" value="8" />
						<FormField label="Addresses at once" name="atOnce" kind="number" min="1" max="50" value="10" />
						<FormField label="A second" name="perSecond" kind="number" min="1" max="500" value="20" />
						<FormField label="Minutes" name="minutes" kind="number" min="1" max="1440" value="30" />
					</div>
				</details>
				<Button type="submit" size="sm" disabled={busy} class="mt-3">Survey it</Button>
			{/snippet}
		</Form>{/if}
</div>
