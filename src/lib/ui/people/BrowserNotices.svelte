<script lang="ts">
	import { onMount } from 'svelte';
	import { Button } from 'flowbite-svelte';

	/** Whether this browser says by itself that an alert began, while nobody looks at the page. */
	let may = $state<NotificationPermission | 'unknown'>('unknown');
	onMount(() => {
		if ('Notification' in window) may = Notification.permission;
	});
</script>

{#if may === 'default'}<p class="mt-3">
		<Button size="sm" color="alternative" onclick={async () => (may = await Notification.requestPermission())}
			>Show alerts as notices of this browser</Button
		>
	</p>
{:else if may === 'granted'}<p class="quiet mt-3 text-sm">
		This browser shows a notice when an alert begins while Limen is open and you look elsewhere.
	</p>
{:else if may === 'denied'}<p class="quiet mt-3 text-sm">
		Notices of this browser are turned off for this address; it can be allowed again in its settings.
	</p>{/if}
