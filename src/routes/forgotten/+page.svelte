<script lang="ts">
	import { FormField } from '$ui/kit';
	import { Button } from 'flowbite-svelte';
	import { act } from '$ui/forms';
	import { FormWords } from '$ui/people';

	let { form } = $props();
</script>

<svelte:head><title>A new password · Limen</title></svelte:head>
<h1>A new password</h1>
<form method="POST" class="mt-4" use:act>
	<FormField label="E-mail address" kind="email" id="email" name="email" required autocomplete="username" />
	<FormWords {form} />
	<p class="mt-5 flex items-center gap-5">
		<Button type="submit">Send me a link</Button><a href="/sign-in">To sign in</a>
	</p>
</form>
