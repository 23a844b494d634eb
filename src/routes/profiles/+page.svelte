<script lang="ts">
	import { When } from '$ui/marks';
	let { data } = $props();
</script>

<svelte:head><title>Profiles · Limen</title></svelte:head>
<h1>Profiles</h1>
<p class="quiet mt-1">What a kind of position must be: its configuration, firmware and scripts.</p>
{#if data.profiles.length === 0}
	<p class="sheet mt-4 p-6">There are no profiles yet.</p>
{:else}
	<div class="sheet mt-3 overflow-auto">
		<table class="work-table">
			<thead
				><tr
					><th>Profile</th><th>For</th><th>Dialect</th><th>Released</th><th>Firmware</th><th>Positions</th
					></tr
				></thead
			>
			<tbody>
				{#each data.profiles as profile (profile.id)}
					<tr>
						<td><a href="/profiles/{profile.id}" class="font-semibold">{profile.name}</a></td>
						<td>{profile.roleName}</td>
						<td>{profile.dialect}</td>
						<td
							>{#if profile.revisionNumber}revision {profile.revisionNumber},
								<span class="quiet"><When at={profile.releasedAt} /></span>{:else}<span class="quiet"
									>not yet</span
								>{/if}</td
						>
						<td class="mono">{profile.targetVersion ?? ''}</td>
						<td>{profile.positions}</td>
					</tr>
				{/each}
			</tbody>
		</table>
	</div>
{/if}
