<script lang="ts">
	import { Button } from 'flowbite-svelte';
	import { act } from '$ui/forms';
	import { When } from '$ui/marks';

	interface Session {
		readonly id: string;
		readonly device: string;
		readonly address: string;
		readonly createdAt: Date;
		readonly lastUsedAt: Date;
		readonly own: boolean;
	}
	/** Where somebody is signed in, each to be ended by itself; not the one this is read with. */
	let { sessions, action }: { sessions: readonly Session[]; action: string } = $props();
</script>

<ul class="sheet mt-2">
	{#each sessions as session (session.id)}
		<li class="flex items-center justify-between gap-4">
			<div>
				{session.device}{session.own ? ' (this one)' : ''}
				<div class="quiet">
					last used <When at={session.lastUsedAt} />, from <span class="mono">{session.address}</span>, since
					<When at={session.createdAt} />
				</div>
			</div>
			{#if !session.own}<form method="POST" {action} use:act>
					<input type="hidden" name="session" value={session.id} />
					<Button type="submit" size="xs" color="alternative" class="whitespace-nowrap">End it</Button>
				</form>{/if}
		</li>
	{:else}<li class="quiet px-4 py-2">Signed in nowhere.</li>{/each}
</ul>
