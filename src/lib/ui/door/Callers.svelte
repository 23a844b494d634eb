<script lang="ts">
	import { Button, TableBody, TableBodyCell, TableBodyRow, TableHead, TableHeadCell } from 'flowbite-svelte';
	import { Table } from '../kit';
	import { act } from '$ui/forms';
	import type { Caller as Known } from '$lib/server/door';
	import { Serial, Warnings, When } from '../marks';
	import { mayDo } from '../people';

	type Caller = Known & {
		/** What speaks against it there. */
		readonly warnings: readonly string[];
	};
	interface Away {
		readonly id: string;
		readonly serial: string;
		readonly calls: number;
		readonly at: Date;
		readonly by: string;
	}
	/** Who called and was not let in, and what would let them in. The actions are the page's own. */
	let {
		callers,
		away = [],
		narrow = false
	}: { callers: readonly Caller[]; away?: readonly Away[]; narrow?: boolean } = $props();

	/** Strangers are nobody's: whoever sees everything turns them away. */
	const mayTurnAway = ({ reason, customerId }: Caller) =>
		// The others are expected: they wait to be mended, not to be sent off
		['unknown', 'unclaimed', 'unbound', 'unknown-key', 'bad-certificate'].includes(reason) &&
		(customerId === null ? mayDo('manage people') : mayDo('bind', customerId));
	const WHY = {
		unknown: 'Nobody has claimed this serial number.',
		unclaimed: 'Nobody has claimed this serial number; its maker’s certificate says that it is this unit.',
		unbound: 'Claimed, but bound to no position yet.',
		'wrong-code': 'Its claim code is not the one on record.',
		'no-certificate':
			'It came with its claim code alone, and its customer wants a device certificate (Profiles › Makers).',
		'bad-certificate': 'Its device certificate has ended, was revoked by its maker, or is another unit’s.',
		held: 'Its run failed and waits for somebody to let it try again.',
		'unknown-key': 'Dialled home with a key that no unit of ours reported.'
	} as const;
</script>

{#if callers.length === 0}
	<p class="quiet mt-1">Nobody waits at the door.</p>
{:else}
	<div class="door mt-2">
		<Table>
			<TableHead
				><TableHeadCell>Who</TableHeadCell><TableHeadCell>Why not let in</TableHeadCell><TableHeadCell
					>Calls</TableHeadCell
				>{#if !narrow}<TableHeadCell>Last</TableHeadCell><TableHeadCell>From</TableHeadCell
					>{/if}<TableHeadCell><span class="sr-only">Do</span></TableHeadCell></TableHead
			>
			<TableBody>
				{#each callers as caller (caller.id)}
					<TableBodyRow data-caller={caller.serial}>
						<TableBodyCell
							>{#if caller.unitId}<a href="/units/{caller.unitId}"><Serial serial={caller.serial} /></a
								>{:else if caller.reason === 'unknown-key'}<span class="mono">{caller.serial}</span
								>{:else}<Serial serial={caller.serial} />{/if}</TableBodyCell
						>
						<TableBodyCell
							>{caller.outOfService
								? (caller.story ?? 'Out of service.')
								: caller.beginsAnewAt
									? 'It is online, and somebody asks for its configuration again with its claim code. Was it set back to factory state?'
									: WHY[caller.reason]}
							{#if caller.likely}<div>
									Most likely <a href="/sites/{caller.likely.siteId}?position={caller.likely.positionId}"
										>{caller.likely.positionName} at {caller.likely.siteName}</a
									>: {caller.likely.why}.
								</div>
								<Warnings warnings={caller.warnings} />{/if}</TableBodyCell
						>
						<TableBodyCell>{caller.calls}<span class="on-phone">&nbsp;calls</span></TableBodyCell>
						{#if !narrow}<TableBodyCell class="quiet"><When at={caller.lastAt} /></TableBodyCell
							><TableBodyCell class="mono">{caller.address}</TableBodyCell>{/if}
						<TableBodyCell>
							{#if caller.likely && mayDo('bind', caller.customerId)}<form
									method="POST"
									action="?/bind"
									use:act
								>
									<input type="hidden" name="unit" value={caller.unitId} />
									<input type="hidden" name="position" value={caller.likely.positionId} />
									<Button type="submit" size="xs">Let it in there</Button>
								</form>{/if}
							{#if caller.beginsAnewAt && mayDo('retry', caller.customerId)}<form
									method="POST"
									action="?/retry"
									use:act
								>
									<input type="hidden" name="position" value={caller.beginsAnewAt} />
									<Button type="submit" size="xs">Let it start over</Button>
								</form>{/if}
							{#if caller.reason === 'unknown' || caller.reason === 'unclaimed'}<a
									href="/intake?serial={encodeURIComponent(caller.serial)}">Claim it</a
								>
							{:else if caller.reason === 'unbound' && caller.unitId && !caller.outOfService}<a
									href="/units/{caller.unitId}">{caller.likely ? 'Bind it elsewhere' : 'Bind it'}</a
								>
							{:else if caller.reason === 'unknown-key' && mayDo('bind')}<a href="/arrivals/keys/{caller.id}"
									>Whose is it?</a
								>{:else if caller.unitId}<a href="/units/{caller.unitId}">Look at it</a>{/if}
							{#if mayTurnAway(caller)}<form method="POST" action="?/away" use:act class="mt-1">
									<input type="hidden" name="caller" value={caller.id} />
									<button class="quiet cursor-pointer underline" aria-label="Turn away {caller.serial}"
										>Turn away</button
									>
								</form>{/if}
						</TableBodyCell>
					</TableBodyRow>
				{/each}
			</TableBody>
		</Table>
	</div>
{/if}
{#if away.length > 0}
	<details class="mt-2">
		<summary class="cursor-pointer">Turned away ({away.length})</summary>
		<ul class="mt-1">
			{#each away as caller (caller.id)}<li class="flex flex-wrap items-baseline gap-x-3">
					<Serial serial={caller.serial} />
					<span class="quiet">{caller.calls} calls; by {caller.by}, <When at={caller.at} /></span>
					<form method="POST" action="?/ask" use:act>
						<input type="hidden" name="caller" value={caller.id} />
						<button class="cursor-pointer text-[var(--pine)] underline">Let it ask again</button>
					</form>
				</li>{/each}
		</ul>
	</details>
{/if}

<style>
	.on-phone {
		display: none;
	}
	/* On a phone each caller is a block: what can be done must not be off to the side. */
	@media (max-width: 700px) {
		.on-phone {
			display: inline;
		}
		.door :global(thead) {
			display: none;
		}
		.door :global(tr) {
			display: block;
			padding: 0.5rem 0;
			border-bottom: 1px solid var(--hairline);
		}
		.door :global(td) {
			display: block;
			height: auto;
			padding: 0.1rem 0.8rem;
			border: 0;
		}
		/* Calls, when, and from where share a line. */
		.door :global(td:nth-child(n + 3):not(:last-child)) {
			display: inline-block;
			padding-right: 0;
		}
	}
</style>
