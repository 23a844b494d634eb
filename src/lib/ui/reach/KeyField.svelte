<script lang="ts">
	import { FormField } from '$ui/kit';

	/** Takes a private key instead of a password. */
</script>

<FormField
	label="Or a private key"
	name="privateKey"
	kind="lines"
	mono
	rows={4}
	class="mt-4"
	maxlength={20000}
	hint="In OpenSSH’s or PEM’s form, without a passphrase. It is sealed and never shown again."
	autocomplete="off"
	spellcheck="false"
/>
