<script lang="ts">
	/** Inside a form that binds: asks why, when binding was refused to somebody who may do it with a reason. */
	let { form }: { form: { wantsReason?: unknown } | null | undefined } = $props();
</script>

{#if form?.wantsReason === true}<label class="mt-3 block basis-full"
		>Why it is bound all the same
		<input name="reason" class="field" required maxlength="500" autocomplete="off" /></label
	>{/if}
