<script lang="ts">
	/** A serial number in groups of four; the gaps are drawn, so that copying gives it without spaces. */
	let { serial }: { serial: string } = $props();
	const groups = $derived(serial.match(/.{1,4}/g) ?? []);
</script>

<span class="mono serial"
	>{#each groups as group, index (index)}<span>{group}</span>{/each}</span
>

<style>
	.serial {
		white-space: nowrap;
	}
	span span + span {
		margin-left: 0.4em;
	}
</style>
