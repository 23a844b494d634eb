<script lang="ts">
	import {
		Button,
		Input,
		TableBody,
		TableBodyCell,
		TableBodyRow,
		TableHead,
		TableHeadCell
	} from 'flowbite-svelte';
	import { Table } from '../kit';
	import type { ShownLearnt } from '$core/takeon';
	import { counted } from '$core/text';
	import { act } from '../forms';
	import { Standing } from '../marks';

	/** The units of a take-on: which proved, and where each is to be. */
	interface Unit {
		readonly id: string;
		readonly name: string;
		readonly model: string | null;
		readonly groupId: string | null;
		readonly unread: string;
		readonly site: string;
		readonly position: string;
		readonly positionId: string | null;
		readonly siteId: string | null;
	}
	interface Props {
		units: readonly Unit[];
		groups: readonly { readonly id: string; readonly profile: string | null }[];
		learnt: ShownLearnt | undefined;
		mayAct: boolean;
	}
	let { units, groups, learnt, mayAct }: Props = $props();

	/** What somebody typed, until it is kept. */
	let typed = $state<Record<string, { site: string; position: string }>>({});
	const placeOf = (unit: Unit) => typed[unit.id] ?? { site: unit.site, position: unit.position };
	const changed = $derived(Object.keys(typed).length);
	const proofs = $derived(new Map(learnt?.proofs.map((proof) => [proof.id, proof]) ?? []));
	const profiles = $derived(new Map(groups.map(({ id, profile }) => [id, profile])));
	/** All places stand as they are shown then, also those that were guessed. */
	const places = $derived(
		JSON.stringify(
			units
				.filter(({ positionId }) => positionId === null)
				.map((unit) => ({ unit: unit.id, ...placeOf(unit) }))
		)
	);
</script>

<section class="mt-6" aria-label="Units and their places">
	<div class="flex flex-wrap items-baseline gap-3">
		<h2>Units and their places</h2>
		{#if mayAct}<form
				method="POST"
				action="?/places"
				class="ml-auto"
				use:act={() =>
					async ({ result, update }) => {
						await update();
						if (result.type === 'success') typed = {};
					}}
			>
				<input type="hidden" name="places" value={places} />
				<Button type="submit" size="xs" color="alternative"
					>{changed > 0 ? `Keep ${counted(changed, 'place')}` : 'They are right so'}</Button
				>
			</form>{/if}
	</div>
	<p class="quiet">
		Sites and positions are guessed until you keep them; what follows from a site’s name is found after that.
	</p>
	<Table classes={{ div: 'mt-2' }}>
		<TableHead
			><TableHeadCell>Unit</TableHeadCell><TableHeadCell>Proof</TableHeadCell><TableHeadCell
				>Site</TableHeadCell
			><TableHeadCell>Position</TableHeadCell>{#if mayAct}<TableHeadCell
					><span class="sr-only">Leave out</span></TableHeadCell
				>{/if}</TableHead
		>
		<TableBody>
			{#each units as unit (unit.id)}
				{@const proof = proofs.get(unit.id)}
				<TableBodyRow data-unit={unit.name}
					><TableBodyCell
						><b class="whitespace-nowrap">{unit.name}</b><br /><span class="quiet"
							>{unit.model ?? 'of no known model'}{#if profiles.get(unit.groupId ?? '')}, {profiles.get(
									unit.groupId ?? ''
								)}{/if}</span
						></TableBodyCell
					><TableBodyCell
						>{#if unit.unread}<Standing standing="stuck" word="not read" /><br /><span class="quiet"
								>{unit.unread}</span
							>{:else if !proof}<span class="quiet">in another group</span>{:else}<Standing
								standing={proof.holds ? 'through' : 'stuck'}
								word={proof.holds ? 'proved' : 'not equal'}
							/>{#each proof.own as words (words)}<br /><span class="quiet">its own: {words}</span
								>{/each}{#each proof.problems as words (words)}<br /><span class="quiet">{words}</span
								>{/each}{#if proof.left > 0}<br /><span class="quiet"
									>{counted(proof.left, 'statement')} left that {proof.left === 1 ? 'is' : 'are'} not equal</span
								>{/if}{/if}</TableBodyCell
					>{#if unit.positionId !== null}<TableBodyCell
							><a href="/sites/{unit.siteId}?position={unit.positionId}">{unit.site}</a></TableBodyCell
						><TableBodyCell>{unit.position} <Standing standing="through" word="in the plan" /></TableBodyCell
						>{#if mayAct}<TableBodyCell></TableBodyCell>{/if}{:else if mayAct}<TableBodyCell
							><Input
								size="sm"
								aria-label="Site of {unit.name}"
								maxlength={120}
								bind:value={() => placeOf(unit).site, (site) => (typed[unit.id] = { ...placeOf(unit), site })}
							/></TableBodyCell
						><TableBodyCell
							><Input
								size="sm"
								aria-label="Position of {unit.name}"
								maxlength={120}
								bind:value={
									() => placeOf(unit).position,
									(position) => (typed[unit.id] = { ...placeOf(unit), position })
								}
							/></TableBodyCell
						><TableBodyCell
							><form method="POST" action="?/leave" use:act>
								<input type="hidden" name="unit" value={unit.id} />
								<Button
									type="submit"
									size="xs"
									color="alternative"
									class="whitespace-nowrap"
									aria-label="Leave out {unit.name}">Leave out</Button
								>
							</form></TableBodyCell
						>{:else}<TableBodyCell>{unit.site}</TableBodyCell><TableBodyCell>{unit.position}</TableBodyCell
						>{/if}</TableBodyRow
				>
			{/each}
		</TableBody>
	</Table>
</section>
