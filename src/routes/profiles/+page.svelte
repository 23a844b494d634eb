<script lang="ts">
	import { FormField, MenuLink, PageHead, Table } from '$ui/kit';
	import { PURPOSE_IDS, PURPOSE_WORDS } from '$core/profile';
	import { counted } from '$core/text';
	import { onMount } from 'svelte';
	import { Button, TableBody, TableBodyCell, TableBodyRow, TableHead, TableHeadCell } from 'flowbite-svelte';
	import { act } from '$ui/forms';
	import { page } from '$app/state';
	import { refreshOn } from '$ui/live';
	import { When } from '$ui/marks';
	import { FormWords, mayDo } from '$ui/people';

	let { data, form } = $props();
	onMount(() => refreshOn(['profiles', 'plan']));
	const making = $derived(page.url.searchParams.get('make'));
</script>

<PageHead title="Profiles">
	{#snippet acts()}
		{#if mayDo('edit profiles')}<Button href="/profiles/begin" size="sm">Begin a profile by questions</Button
			><Button href="?make=profile" size="sm" color="alternative">Begin an empty one</Button>{/if}
		<Button href="/profiles/takeon" size="sm" color="alternative">Take on what exists</Button>
	{/snippet}
	{#snippet more()}
		<MenuLink href="/profiles/makers">Makers</MenuLink>
	{/snippet}
	{#snippet about()}<span>What a kind of position must be: parts in their order, firmware and scripts.</span
		>{/snippet}
</PageHead>
<FormWords {form} />
{#if making === 'profile' && mayDo('edit profiles')}
	<form
		method="POST"
		action="?/profile&make=profile"
		use:act
		class="sheet mt-3 flex flex-wrap items-end gap-4 p-4"
	>
		<FormField label="Name" class="grow" name="name" required maxlength={120} autocomplete="off" />
		<FormField label="For positions that are a" kind="select" name="role"
			>{#each data.roles as role (role.id)}<option value={role.id}>{role.name}</option>{/each}</FormField
		>
		<Button type="submit" size="sm">Begin profile</Button>
	</form>
{/if}
{#if data.profiles.length === 0}
	<p class="sheet mt-4 p-6">
		There are no profiles yet. <a href="/profiles/begin">Begin one by questions</a>: it comes out as a draft.
	</p>
{:else}
	<Table classes={{ div: 'mt-3' }}>
		<TableHead
			><TableHeadCell>Profile</TableHeadCell><TableHeadCell>For</TableHeadCell><TableHeadCell
				>Parts</TableHeadCell
			><TableHeadCell>Released</TableHeadCell><TableHeadCell>Being written</TableHeadCell><TableHeadCell
				>Positions</TableHeadCell
			></TableHead
		>
		<TableBody>
			{#each data.profiles as profile (profile.id)}
				<TableBodyRow>
					<TableBodyCell
						><a href="/profiles/{profile.id}" class="font-semibold">{profile.name}</a></TableBodyCell
					>
					<TableBodyCell>{profile.roleName}</TableBodyCell>
					<TableBodyCell>{profile.parts}</TableBodyCell>
					<TableBodyCell
						>{#if profile.revisionNumber}revision {profile.revisionNumber},
							<span class="quiet"
								><When at={profile.releasedAt} /> by {profile.releasedBy ?? 'nobody known'}</span
							>{:else}<span class="quiet">not yet</span>{/if}</TableBodyCell
					>
					<TableBodyCell
						>{#if profile.draft}<a href="/profiles/{profile.id}?revision={profile.draft}"
								>draft {profile.draft}</a
							>{/if}</TableBodyCell
					>
					<TableBodyCell
						>{#if profile.positions > 0}<a href="/values?profile={profile.id}">{profile.positions}</a
							>{:else}0{/if}</TableBodyCell
					>
				</TableBodyRow>
			{/each}
		</TableBody>
	</Table>
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
	<form method="POST" action="?/part&make=part" use:act class="sheet mt-3 flex flex-wrap items-end gap-4 p-4">
		<FormField label="Name" class="grow" name="name" required maxlength={120} autocomplete="off" />
		<FormField label="What it is for" class="grow-[2]" name="summary" maxlength={500} />
		<FormField
			label="Makes"
			name="purpose"
			kind="select"
			items={PURPOSE_IDS.map((value) => ({ value, name: PURPOSE_WORDS[value] }))}
			none="something else"
		/>
		<Button type="submit" size="sm">Begin part</Button>
	</form>
{/if}
{#if data.parts.length === 0}<p class="sheet mt-3 p-6">There are no parts yet.</p>{:else}
	<Table classes={{ div: 'mt-3' }}>
		<TableHead
			><TableHeadCell>Part</TableHeadCell><TableHeadCell>What it is for</TableHeadCell><TableHeadCell
				>Dialects</TableHeadCell
			><TableHeadCell>Fields</TableHeadCell><TableHeadCell>Newest</TableHeadCell><TableHeadCell
				>Used by</TableHeadCell
			></TableHead
		>
		<TableBody>
			{#each data.parts as part (part.id)}
				<TableBodyRow
					><TableBodyCell class="whitespace-nowrap"
						><a href="/profiles/parts/{part.id}" class="font-semibold">{part.name}</a></TableBodyCell
					><TableBodyCell class="quiet">{part.summary}</TableBodyCell><TableBodyCell
						>{part.dialects.join(', ')}</TableBodyCell
					><TableBodyCell>{part.fields}</TableBodyCell><TableBodyCell class="whitespace-nowrap"
						>{#if part.number}revision {part.number}{/if}{#if part.draft}{part.number ? ', ' : ''}<b
								>draft {part.draft}</b
							>{/if}</TableBodyCell
					><TableBodyCell class="whitespace-nowrap"
						>{#if part.profiles > 0}<a href="/profiles/parts/{part.id}#uses"
								>{counted(part.profiles, 'profile')}</a
							>{:else}none{/if}</TableBodyCell
					></TableBodyRow
				>
			{/each}
		</TableBody>
	</Table>
{/if}
