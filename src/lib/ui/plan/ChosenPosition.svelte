<script lang="ts">
	import type { ComponentProps } from 'svelte';
	import { Button } from 'flowbite-svelte';
	import { checkPhrase, type Arrival } from '$core/onboarding';
	import { BindAnyway, RunActions, UnitPicker } from '../arrivals';
	import { act } from '../forms';
	import { FormField } from '../kit';
	import { clock, duration, Serial } from '../marks';
	import { mayDo } from '../people';
	import { PositionPreview } from '../profile';

	type Preview = ComponentProps<typeof PositionPreview>;
	type Picker = ComponentProps<typeof UnitPicker>;
	/** The position of a site that is chosen: the unit there, or those that suit it, and what it will be told. */
	interface Props {
		site: { readonly customerId: string; readonly customerName: string };
		chosen: {
			readonly id: string;
			readonly name: string;
			readonly arrival: Arrival | null;
			readonly advice: string | null;
			readonly suitable: Picker['units'];
			readonly preview: Preview['preview'] | null;
			readonly otherProfiles: readonly { readonly id: string; readonly name: string }[];
		};
		mayPlan: boolean;
		line: Preview['line'];
		form: { readonly wantsReason?: unknown; readonly revealed?: Preview['revealed'] } | null;
		ondrag: Picker['ondrag'];
	}
	let { site, chosen, mayPlan, line, form, ondrag }: Props = $props();
</script>

<section>
	{#if chosen.arrival}
		<div class="flex flex-wrap items-center gap-x-5 gap-y-2">
			<h2>
				{chosen.name}:
				<a href="/units/{chosen.arrival.unitId}"><Serial serial={chosen.arrival.serial} /></a>
			</h2>
			<span class="quiet"
				>{chosen.arrival.modelName}, {chosen.arrival.step === 'online' ? '' : 'at '}{chosen.arrival.step} for
				{duration(clock.now - chosen.arrival.since)}</span
			>
			<span class="ml-auto"><RunActions arrival={chosen.arrival} /></span>
		</div>
		{#if chosen.arrival.failureWords}<blockquote
				class="mono mt-3 whitespace-pre-wrap border-l-2 border-[var(--brick)] pl-3 text-sm"
			>
				{chosen.arrival.failureWords}
			</blockquote>{/if}
		{#if chosen.advice}<p class="mt-2">{chosen.advice}</p>{/if}
		<p class="quiet mt-2">
			Compare aloud with whoever stands there: <b class="text-[var(--ink)]"
				>{checkPhrase(chosen.arrival.serial, chosen.id)}</b
			>
		</p>
		{#if mayDo('unbind', site.customerId) && mayDo('bind', site.customerId)}
			<details class="mt-3">
				<summary class="cursor-pointer font-semibold">Swap it for another unit</summary>
				<form method="POST" action="?/swap&position={chosen.id}" use:act class="sheet mt-2 p-4">
					<p>
						{chosen.name} keeps its values and its history. {chosen.arrival.serial.slice(-4)} is unbound and out
						of service: it can call, and gets nothing.
					</p>
					{#if chosen.suitable.length === 0}
						<p class="mt-2">
							No claimed unit of {site.customerName} suits this position.
							<a href="/intake">Claim one</a> first.
						</p>
					{:else}
						<input type="hidden" name="position" value={chosen.id} />
						{#key chosen.id}<UnitPicker units={chosen.suitable}>
								{#snippet button(picked)}<Button type="submit" size="sm" disabled={!picked}
										>Swap {chosen.arrival!.serial.slice(-4)} for {picked?.serial.slice(-4) ??
											'another'}</Button
									>{/snippet}
							</UnitPicker>{/key}
					{/if}
				</form>
			</details>
		{/if}
	{:else if mayDo('bind', site.customerId)}
		<form method="POST" action="?/bind&position={chosen.id}" use:act class="sheet p-4">
			<h2>Bind a unit to {chosen.name}</h2>
			{#if chosen.suitable.length === 0}
				<p class="mt-2">
					No claimed unit of {site.customerName} suits this position. <a href="/intake">Claim one</a> first.
				</p>
			{:else}
				<input type="hidden" name="position" value={chosen.id} />
				{#key chosen.id}<UnitPicker units={chosen.suitable} {ondrag}>
						{#snippet button(picked)}<Button type="submit" size="sm" disabled={!picked}
								>Bind {picked?.serial.slice(-4) ?? 'a unit'}</Button
							>{/snippet}
					</UnitPicker>{/key}
				<BindAnyway {form} />
			{/if}
		</form>
	{/if}

	{#if chosen.arrival?.step === 'online'}<div class="mt-5 flex flex-wrap items-baseline gap-x-4">
			<h2 id="gets">What it should run</h2>
			{#if chosen.preview}<a href="/units/{chosen.arrival.unitId}/versions"
					>What it runs, and who changed which line</a
				>{/if}
		</div>{:else}<h2 class="mt-5" id="gets">What it will get</h2>{/if}
	{#if chosen.preview}
		<PositionPreview
			preview={chosen.preview}
			positionName={chosen.name}
			positionId={chosen.id}
			customerId={site.customerId}
			{line}
			revealed={form?.revealed ?? null}
		/>
		{#if chosen.otherProfiles.length > 0 && mayDo('set values', site.customerId)}
			<form
				method="POST"
				action="?/follow&position={chosen.id}"
				use:act
				class="mt-4 flex flex-wrap items-end gap-3"
			>
				<input type="hidden" name="position" value={chosen.id} />
				<FormField label="Follow another profile" kind="select" name="profile"
					>{#each chosen.otherProfiles as profile (profile.id)}<option value={profile.id}
							>{profile.name}</option
						>{/each}</FormField
				>
				<Button type="submit" size="sm" color="alternative">Follow it</Button>
			</form>
		{/if}
		{#if !chosen.arrival && mayPlan}
			<form method="POST" action="?/remove&position={chosen.id}" use:act class="mt-4">
				<input type="hidden" name="position" value={chosen.id} />
				<Button type="submit" size="xs" color="alternative">Take {chosen.name} out of the plan</Button>
			</form>
		{/if}
	{:else}
		<p class="mt-2">What units are told is for the people who run the network.</p>
	{/if}
</section>
