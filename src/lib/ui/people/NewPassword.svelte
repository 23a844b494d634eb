<label class="mt-3 block font-semibold" for="password">New password</label>
<input
	id="password"
	name="password"
	type="password"
	required
	minlength="12"
	autocomplete="new-password"
	class="field"
/>
<p class="quiet mt-1">12 characters or more; a short sentence is good.</p>
