<script lang="ts">
	import { Button } from 'flowbite-svelte';
	import { counted } from '$core/text';
	import { Facts, Form, FormField, PageHead } from '$ui/kit';
	import { When } from '$ui/marks';
	import { FormWords } from '$ui/people';

	let { data, form } = $props();
	const titleOf = ({ customer, retiredAt }: (typeof data.keys)[number]) =>
		`${retiredAt ? 'Earlier key' : 'The key that signs'} for ${customer ?? 'everybody without one of their own'}`;
	const withOwn = $derived(
		data.customers.filter(({ name }) =>
			data.keys.some(({ customer, retiredAt }) => customer === name && retiredAt === null)
		)
	);
	const fileOf = (certificate: string) => `data:application/x-pem-file;base64,${btoa(certificate)}`;
</script>

<PageHead title="Signing keys">
	{#snippet about()}<span
			>They seal what is handed over, and what factory-new units believe. Customers verify handovers with the
			certificate that they were given beforehand.</span
		>{/snippet}
</PageHead>
<FormWords {form} />
{#each data.keys as key (key.id)}
	<section class="sheet mt-3 p-4" aria-label={titleOf(key)}>
		<div class="flex flex-wrap items-baseline justify-between gap-3">
			<h2>{titleOf(key)}</h2>
			<Button
				href={fileOf(key.certificate)}
				download="certificate.pem"
				size="xs"
				color={key.retiredAt ? 'alternative' : 'primary'}>Download its certificate</Button
			>
		</div>
		<Facts>
			<div>
				<dt>Name</dt>
				<dd>{key.subject}</dd>
			</div>
			<div>
				<dt>Since</dt>
				<dd>
					<When at={key.madeAt} />{#if key.isBrought}, brought{/if}
					{#if key.retiredAt}<span class="quiet block">until <When at={key.retiredAt} /></span>{/if}
				</dd>
			</div>
			<div>
				<dt>Its certificate ends</dt>
				<dd><When at={key.notAfter} /></dd>
			</div>
			<div>
				<dt>Has sealed</dt>
				<dd>{counted(key.signed, 'handover')}</dd>
			</div>
		</Facts>
		<p class="mono quiet mt-2 text-sm break-all">{key.fingerprint}</p>
	</section>
{/each}
<h2 class="mt-6">Another key</h2>
{#key data.keys.length}<Form action="?/renew" enctype="multipart/form-data" class="sheet mt-2 max-w-3xl p-4">
		{#snippet children({ busy })}
			<FormField label="Signs for" kind="select" name="customer">
				<option value="">everybody without one of their own</option>
				{#each data.customers as { id, name } (id)}<option value={id}>{name} alone</option>{/each}
			</FormField>
			<FormField
				class="mt-3"
				label="Bring your own: certificate and private key, as PEM"
				hint="Leave both empty to have a new one made. The private key is kept sealed and never shown."
				kind="lines"
				mono
				name="pem"
				maxlength={40000}
				spellcheck="false"
				autocomplete="off"
			/>
			<div class="mt-3 flex flex-wrap gap-4">
				<FormField
					class="w-96"
					label="Or as PKCS #12, .p12 or .pfx"
					kind="file"
					name="file"
					accept=".p12,.pfx,application/x-pkcs12"
				/>
				<FormField class="w-64" label="Its password" kind="password" name="password" autocomplete="off" />
			</div>
			<Button type="submit" size="sm" class="mt-3" disabled={busy}>Sign with another key</Button>
		{/snippet}
	</Form>{/key}
{#if withOwn.length > 0}
	<h2 class="mt-6">Back to the firm’s key</h2>
	<Form action="?/giveUp" class="sheet mt-2 flex max-w-3xl flex-wrap items-end gap-3 p-4">
		{#snippet children({ busy })}
			<FormField label="Customer" kind="select" name="customer">
				{#each withOwn as { id, name } (id)}<option value={id}>{name}</option>{/each}
			</FormField>
			<Button type="submit" size="sm" color="alternative" disabled={busy}>Give up its own key</Button>
		{/snippet}
	</Form>
{/if}
