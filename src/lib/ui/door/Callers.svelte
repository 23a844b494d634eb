<script lang="ts">
	import { Serial, When } from '../marks';

	interface Caller {
		readonly id: string;
		readonly serial: string;
		readonly reason: 'unknown' | 'unbound' | 'wrong-code' | 'held' | 'unknown-key';
		readonly address: string;
		readonly calls: number;
		readonly lastAt: Date;
		readonly unitId: string | null;
	}
	/** Who called and was not let in, and what would let them in. */
	let { callers, narrow = false }: { callers: readonly Caller[]; narrow?: boolean } = $props();

	const WHY = {
		unknown: 'Nobody has claimed this serial number.',
		unbound: 'Claimed, but bound to no position yet.',
		'wrong-code': 'Its claim code is not the one on record.',
		held: 'Its run failed and waits for somebody to let it try again.',
		'unknown-key': 'Dialled home with a key that no unit of ours reported.'
	} as const;
</script>

{#if callers.length === 0}
	<p class="quiet mt-1">Nobody waits at the door.</p>
{:else}
	<div class="sheet mt-2 overflow-x-auto">
		<table class="work-table">
			<thead
				><tr
					><th>Who</th><th>Why not let in</th><th>Calls</th>{#if !narrow}<th>Last</th><th>From</th>{/if}<th
						><span class="sr-only">Do</span></th
					></tr
				></thead
			>
			<tbody>
				{#each callers as caller (caller.id)}
					<tr data-caller={caller.serial}>
						<td
							>{#if caller.unitId}<a href="/units/{caller.unitId}"><Serial serial={caller.serial} /></a
								>{:else if caller.reason === 'unknown-key'}<span class="mono">{caller.serial}</span
								>{:else}<Serial serial={caller.serial} />{/if}</td
						>
						<td>{WHY[caller.reason]}</td>
						<td>{caller.calls}</td>
						{#if !narrow}<td class="quiet"><When at={caller.lastAt} /></td><td class="mono"
								>{caller.address}</td
							>{/if}
						<td>
							{#if caller.reason === 'unknown'}<a href="/intake?serial={encodeURIComponent(caller.serial)}"
									>Claim it</a
								>
							{:else if caller.reason === 'unbound' && caller.unitId}<a href="/units/{caller.unitId}"
									>Bind it</a
								>
							{:else if caller.unitId}<a href="/units/{caller.unitId}">Look at it</a>{/if}
						</td>
					</tr>
				{/each}
			</tbody>
		</table>
	</div>
{/if}
