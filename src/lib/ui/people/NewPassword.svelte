<script lang="ts">
	import { FormField } from '$ui/kit';
</script>

<FormField
	label="New password"
	kind="password"
	class="mt-3"
	id="password"
	name="password"
	required
	minlength={12}
	autocomplete="new-password"
/>
<p class="quiet mt-1">12 characters or more; a short sentence is good.</p>
