<script lang="ts">
	import { dayOf } from '$core/text';
	import { FormField, PageHead } from '$ui/kit';
	import { Button, Checkbox } from 'flowbite-svelte';
	import { act } from '$ui/forms';
	import { page } from '$app/state';
	import { DUTY_WORDS, type Duty } from '$core/people';
	import { BrowserNotices, FormWords, NewPassword, PersonalTokens, Sessions } from '$ui/people';

	let { data, form } = $props();
	const person = $derived(page.data.person);
	const duties = $derived(
		data.customers.flatMap(({ id, name }) => {
			const duty = person?.duties[id] as Duty | undefined;
			return duty ? [{ name, duty }] : [];
		})
	);
	const EVENINGS = Array.from({ length: 24 }, (_, hour) => ({
		value: String(hour),
		name: `from ${String(hour).padStart(2, '0')}:00, the site’s time`
	}));
	const calendar = $derived(form && 'calendarAddress' in form ? form.calendarAddress : null);
	const personalToken = $derived(form && 'personalToken' in form ? String(form.personalToken) : null);
	const codes = $derived(form && 'codes' in form ? (form.codes as string[]) : null);
</script>

<PageHead title="Your account">
	{#snippet name()}{person?.name}{/snippet}
	{#snippet acts()}<form method="POST" action="/sign-out">
			<Button type="submit" size="sm" color="alternative">Sign out</Button>
		</form>{/snippet}
	{#snippet about()}<span>{data.email}{person?.administrator ? ' · administrator' : ''}</span>{/snippet}
</PageHead>
<FormWords {form} />
<div class="two mt-5">
	<section>
		<h2>Where you are signed in</h2>
		<Sessions sessions={data.sessions} action="?/end" />
		<PersonalTokens tokens={data.tokens} made={personalToken} />
		{#if duties.length > 0}
			<h2 class="mt-6">What you do for whom</h2>
			<dl class="facts mt-2">
				{#each duties as { name, duty } (name)}<dt>{name}</dt>
					<dd><b>{duty}</b>: {DUTY_WORDS[duty]}</dd>{/each}
			</dl>
		{/if}
	</section>
	<section>
		<form method="POST" action="?/password" use:act class="sheet p-4">
			<h2>Change the password</h2>
			<NewPassword />
			<Button type="submit" size="sm" class="mt-3">Change password</Button>
		</form>
		<form method="POST" action="?/letters" use:act class="sheet mt-4 p-4">
			<h2>Letters about sites</h2>
			<FormField
				label="What is due tomorrow, and what it still lacks"
				kind="select"
				name="evening"
				stored={data.letters.evening === null ? '' : String(data.letters.evening)}
				none="no letter"
				items={EVENINGS}
			/>
			<div class="mt-3 grid gap-2">
				<Checkbox name="stuck" checked={data.letters.whenStuck}>When a site needs somebody</Checkbox>
				<Checkbox name="through" checked={data.letters.whenThrough}>When a site is through</Checkbox>
				<Checkbox name="alert" checked={data.letters.whenAlert}>When an alert begins</Checkbox>
			</div>
			<p class="quiet mt-2 text-sm">
				To {data.email}, at most one in twenty minutes. Technicians are told of the sites they go to.
			</p>
			<Button type="submit" size="sm" class="mt-3">Choose letters</Button>
			<BrowserNotices />
		</form>
		<form method="POST" action="?/calendar" use:act class="sheet mt-4 p-4">
			<h2>Your appointments in a calendar</h2>
			{#if calendar}
				<p class="mt-2">
					Give this address to your calendar program; it is not shown again. Whoever has it sees your
					appointments.
				</p>
				<p class="mono mt-2 break-all text-sm" data-calendar>{calendar}</p>
			{:else if data.calendar}
				<p class="mt-2">
					You have an address since {dayOf(data.calendar, undefined, Date.now())}. Lost it? A new one takes
					its place.
				</p>
			{:else}
				<p class="mt-2">A calendar program can show the sites you are to go to, by an address of your own.</p>
			{/if}
			<Button type="submit" size="sm" color="alternative" class="mt-3"
				>{data.calendar ? 'Make a new address' : 'Make an address'}</Button
			>
		</form>
		<div class="sheet mt-4 p-4">
			<h2>One-time codes</h2>
			{#if codes}
				<p class="mt-2">
					On. Keep these recovery codes where your phone is not; each is good once. They are not shown again.
				</p>
				<ul class="mono mt-2 columns-2" aria-label="Recovery codes">
					{#each codes as code (code)}<li>{code}</li>{/each}
				</ul>
			{:else if data.account.totp === 'on'}
				<p class="mt-2">On; {data.account.recoveryCodesLeft} recovery codes are left.</p>
				<form method="POST" action="?/off" use:act>
					<Button type="submit" size="sm" color="alternative" class="mt-3">Turn off</Button>
				</form>
			{:else if data.account.totp === 'begun'}
				<p class="mt-2">Read this with the authenticator on your phone, then type the six digits it shows.</p>
				<!-- eslint-disable-next-line svelte/no-at-html-tags -- drawn by our own server from our own address -->
				<div class="picture mt-3">{@html data.account.picture}</div>
				<p class="mono quiet mt-2 break-all text-sm">{data.account.uri}</p>
				<form method="POST" action="?/first" use:act class="mt-3 flex items-end gap-3">
					<FormField
						label="First code"
						class="grow"
						mono
						name="code"
						required
						inputmode="numeric"
						autocomplete="one-time-code"
					/>
					<Button type="submit" size="sm">Turn on</Button>
				</form>
			{:else}
				<p class="mt-2">Off. With them, a stolen password alone opens nothing.</p>
				<form method="POST" action="?/begin" use:act>
					<Button type="submit" size="sm" class="mt-3">Set up</Button>
				</form>
			{/if}
		</div>
	</section>
</div>

<style>
	.two {
		--columns: minmax(0, 1fr) minmax(0, 26rem);
	}
	/* Black on white: a phone's camera reads it in the dark theme too */
	.picture {
		width: 11rem;
		background: #fff;
	}
</style>
