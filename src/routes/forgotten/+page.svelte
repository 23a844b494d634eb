<script lang="ts">
	import { Button } from 'flowbite-svelte';
	import { enhance } from '$app/forms';
	import { FormWords } from '$ui/people';

	let { form } = $props();
</script>

<svelte:head><title>A new password · Limen</title></svelte:head>
<h1>A new password</h1>
<form method="POST" class="mt-4" use:enhance>
	<label class="block font-semibold" for="email">E-mail address</label>
	<input id="email" name="email" type="email" required autocomplete="username" class="field" />
	<FormWords {form} />
	<p class="mt-5 flex items-center gap-5">
		<Button type="submit">Send me a link</Button><a href="/sign-in">To sign in</a>
	</p>
</form>
