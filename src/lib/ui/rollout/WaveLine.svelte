<script lang="ts">
	import type { RolloutCounts } from '$core/rollout';
	import { counted } from '$core/text';

	/** A wave on its way to the doorline: what waits before it, what is at it, what came through, and what did not. */
	let { total, done, failed, leftOut, underWay }: RolloutCounts = $props();
	const waiting = $derived(total - done - failed - leftOut - underWay);
	const share = (count: number) => `${(count / Math.max(1, total)) * 100}%`;
	const words = $derived(
		[
			done > 0 && `${done} done`,
			underWay > 0 && `${underWay} under way`,
			waiting > 0 && `${waiting} ${waiting === 1 ? 'waits' : 'wait'}`,
			failed > 0 && `${failed} failed`,
			leftOut > 0 && `${leftOut} left out`
		]
			.filter(Boolean)
			.join(', ')
	);
</script>

<span class="line" role="img" aria-label="{counted(total, 'unit')}: {words}">
	<span class="before"
		><span class="waiting" style:width={share(waiting)}></span><span class="at" style:width={share(underWay)}
		></span></span
	>
	<span class="door"></span>
	<span class="behind"
		><span class="done" style:width={share(done)}></span><span class="failed" style:width={share(failed)}
		></span><span class="out" style:width={share(leftOut)}></span></span
	>
</span>
<span class="words">{words}</span>

<style>
	.line {
		display: grid;
		grid-template-columns: minmax(0, 2fr) auto minmax(0, 3fr);
		align-items: center;
		height: 1.1rem;
	}
	.before,
	.behind {
		display: flex;
	}
	.before {
		justify-content: flex-end;
	}
	.before > span,
	.behind > span {
		height: 0.55rem;
	}
	.waiting {
		border-bottom: 2px solid var(--hairline);
	}
	.at {
		background: repeating-linear-gradient(115deg, var(--pine) 0 5px, var(--chosen) 5px 9px);
	}
	.door {
		width: 4px;
		height: 1.1rem;
		background: var(--marigold);
	}
	.done {
		background: var(--pine);
	}
	.failed {
		background: var(--brick);
	}
	.out {
		border-bottom: 2px dotted var(--quiet);
	}
	.words {
		font-size: 0.93rem;
		color: var(--quiet);
	}
</style>
