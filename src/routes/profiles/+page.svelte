<script lang="ts">
	import { counted } from '$core/text';
	import { onMount } from 'svelte';
	import { Button } from 'flowbite-svelte';
	import { enhance } from '$app/forms';
	import { page } from '$app/state';
	import { refreshOn } from '$ui/live';
	import { When } from '$ui/marks';
	import { FormWords, mayDo } from '$ui/people';

	let { data, form } = $props();
	onMount(() => refreshOn(['profiles', 'plan']));
	const making = $derived(page.url.searchParams.get('make'));
</script>

<svelte:head><title>Profiles · Limen</title></svelte:head>
<div class="flex flex-wrap items-baseline gap-5">
	<h1>Profiles</h1>
	{#if mayDo('edit profiles')}
		<a href="/profiles/begin">Begin a profile by questions</a>
		<a href="?make=profile">Begin an empty one</a>
	{/if}
</div>
<p class="quiet mt-1">What a kind of position must be: parts in their order, firmware and scripts.</p>
<FormWords {form} />
{#if making === 'profile' && mayDo('edit profiles')}
	<form
		method="POST"
		action="?/profile&make=profile"
		use:enhance
		class="sheet mt-3 flex flex-wrap items-end gap-4 p-4"
	>
		<label class="grow"
			>Name <input name="name" class="field" required maxlength="120" autocomplete="off" /></label
		>
		<label
			>For positions that are a
			<select name="role" class="field"
				>{#each data.roles as role (role.id)}<option value={role.id}>{role.name}</option>{/each}</select
			></label
		>
		<Button type="submit" size="sm">Begin profile</Button>
	</form>
{/if}
{#if data.profiles.length === 0}
	<p class="sheet mt-4 p-6">
		There are no profiles yet. <a href="/profiles/begin">Begin one by questions</a>: it comes out as a draft.
	</p>
{:else}
	<div class="sheet mt-3 overflow-auto">
		<table class="work-table">
			<thead
				><tr
					><th>Profile</th><th>For</th><th>Parts</th><th>Released</th><th>Being written</th><th>Positions</th
					></tr
				></thead
			>
			<tbody>
				{#each data.profiles as profile (profile.id)}
					<tr>
						<td><a href="/profiles/{profile.id}" class="font-semibold">{profile.name}</a></td>
						<td>{profile.roleName}</td>
						<td>{profile.parts}</td>
						<td
							>{#if profile.revisionNumber}revision {profile.revisionNumber},
								<span class="quiet"
									><When at={profile.releasedAt} /> by {profile.releasedBy ?? 'nobody known'}</span
								>{:else}<span class="quiet">not yet</span>{/if}</td
						>
						<td
							>{#if profile.draft}<a href="/profiles/{profile.id}?revision={profile.draft}"
									>draft {profile.draft}</a
								>{/if}</td
						>
						<td
							>{#if profile.positions > 0}<a href="/values?profile={profile.id}">{profile.positions}</a
								>{:else}0{/if}</td
						>
					</tr>
				{/each}
			</tbody>
		</table>
	</div>
{/if}

<div class="mt-8 flex flex-wrap items-baseline gap-5">
	<h2 id="parts">Parts</h2>
	{#if mayDo('edit profiles')}
		<a href="?make=part#parts">Write a part</a>
		<a href="/profiles/parts/from-text">Make one of a configuration that is right</a>
	{/if}
</div>
<p class="quiet">
	Pieces of configuration that profiles share. Each has a text for every dialect it supports.
</p>
{#if making === 'part' && mayDo('edit profiles')}
	<form
		method="POST"
		action="?/part&make=part"
		use:enhance
		class="sheet mt-3 flex flex-wrap items-end gap-4 p-4"
	>
		<label class="grow"
			>Name <input name="name" class="field" required maxlength="120" autocomplete="off" /></label
		>
		<label class="grow-[2]">What it is for <input name="summary" class="field" maxlength="500" /></label>
		<Button type="submit" size="sm">Begin part</Button>
	</form>
{/if}
{#if data.parts.length === 0}<p class="sheet mt-3 p-6">There are no parts yet.</p>{:else}
	<div class="sheet mt-3 overflow-auto">
		<table class="work-table">
			<thead
				><tr
					><th>Part</th><th>What it is for</th><th>Dialects</th><th>Fields</th><th>Newest</th><th>Used by</th
					></tr
				></thead
			>
			<tbody>
				{#each data.parts as part (part.id)}
					<tr
						><td class="whitespace-nowrap"
							><a href="/profiles/parts/{part.id}" class="font-semibold">{part.name}</a></td
						><td class="quiet">{part.summary}</td><td>{part.dialects.join(', ')}</td><td>{part.fields}</td><td
							class="whitespace-nowrap"
							>{#if part.number}revision {part.number}{/if}{#if part.draft}{part.number ? ', ' : ''}<b
									>draft {part.draft}</b
								>{/if}</td
						><td class="whitespace-nowrap">{counted(part.profiles, 'profile')}</td></tr
					>
				{/each}
			</tbody>
		</table>
	</div>
{/if}
