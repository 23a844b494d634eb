<script lang="ts">
	import { Button } from 'flowbite-svelte';
	import type { CheckKind, CheckState, Figure } from '$core/proof';
	import { act } from '../forms';
	import { Standing } from '../marks';

	/** The checks of one unit: what each found, and what helps where it does not hold. */
	interface Shown {
		readonly ordinal: number;
		readonly kind: CheckKind;
		readonly unitId: string;
		readonly positionId: string;
		readonly title: string;
		readonly state: CheckState;
		readonly words: string;
		readonly figures: readonly Figure[];
		readonly tries: number;
		readonly help: string | null;
	}
	interface Props {
		name: string;
		checks: readonly Shown[];
		proofId: string;
		siteId: string;
		/** Whether whoever looks may have a check made again now. */
		mayAgain: boolean;
	}
	let { name, checks, proofId, siteId, mayAgain }: Props = $props();

	const SHAPES = {
		waiting: 'waiting',
		asking: 'moving',
		holds: 'through',
		fails: 'stuck',
		unread: 'not-heard',
		cannot: 'open'
	} as const;
	const WORDS: Readonly<Record<CheckState, string>> = {
		waiting: 'waits',
		asking: 'being checked',
		holds: 'holds',
		fails: 'does not hold',
		unread: 'could not be read',
		cannot: 'cannot be asked'
	};
	const held = $derived(checks.filter(({ state }) => state === 'holds' || state === 'cannot').length);
	/** Where what helps is done. */
	function remedyOf({ kind, unitId, positionId }: Shown): { readonly href: string; readonly words: string } {
		if (kind === 'neighbours' || kind === 'power' || kind === 'port')
			return { href: `/sites/${siteId}#cabling`, words: 'See the cabling' };
		if (kind === 'configuration') return { href: `/units/${unitId}/send`, words: 'See what differs' };
		if (kind === 'serial')
			return { href: `/sites/${siteId}?position=${positionId}`, words: 'See what is bound' };
		if (kind === 'tunnel' || kind === 'route')
			return { href: '/addresses/tunnels', words: 'See the tunnels' };
		return { href: `/units/${unitId}/dialogue`, words: 'See what was said' };
	}
	const needsHelp = ({ state }: Shown) => state === 'fails' || state === 'unread';
</script>

<section class="sheet" aria-label="Checks of {name}">
	<h2 class="flex items-baseline justify-between gap-3 px-4 pt-3">
		<span>{name}</span><span class="quiet text-base font-normal">{held} of {checks.length} hold</span>
	</h2>
	<ul class="mt-1">
		{#each checks as check (check.ordinal)}
			<li data-check={check.title} data-state={check.state} class:wrong={needsHelp(check)}>
				<div class="flex flex-wrap items-baseline justify-between gap-x-4">
					<b>{check.title}</b>
					<Standing
						standing={SHAPES[check.state]}
						word={check.state === 'asking' && check.tries > 0 ? 'not yet, waiting' : WORDS[check.state]}
					/>
				</div>
				{#if check.words}<p
						class={needsHelp(check) ? 'whitespace-pre-wrap break-words' : 'quiet break-words'}
					>
						{check.words}
					</p>{/if}
				{#if check.help}
					<p class="mt-1">{check.help}</p>
					{@const remedy = remedyOf(check)}
					<p class="mt-1"><a href={remedy.href}>{remedy.words}</a></p>
					{#if mayAgain}<form method="POST" action="?/again" use:act class="mt-2">
							<input type="hidden" name="proof" value={proofId} />
							<input type="hidden" name="check" value={check.ordinal} />
							<Button
								type="submit"
								size="sm"
								color="alternative"
								aria-label="Check this again: {check.title}, {name}">Check this again</Button
							>
						</form>{/if}
				{/if}
			</li>
		{/each}
	</ul>
</section>

<style>
	li {
		padding: 0.5rem 1rem;
		border-top: 1px solid var(--hairline);
		border-left: 4px solid transparent;
	}
	li.wrong {
		border-left-color: var(--brick);
	}
</style>
