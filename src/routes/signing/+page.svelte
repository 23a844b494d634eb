<script lang="ts">
	import { Button } from 'flowbite-svelte';
	import { counted } from '$core/text';
	import { Facts, Form, FormField, PageHead } from '$ui/kit';
	import { When } from '$ui/marks';
	import { FormWords } from '$ui/people';

	let { data, form } = $props();
	const fileOf = (certificate: string) => `data:application/x-pem-file;base64,${btoa(certificate)}`;
</script>

<PageHead title="Signing key">
	{#snippet about()}<span
			>The firm’s key seals what is handed over. Customers verify it with the certificate that they were given
			beforehand.</span
		>{/snippet}
</PageHead>
<FormWords {form} />
{#each data.keys as key (key.id)}
	<section class="sheet mt-3 p-4" aria-label={key.retiredAt ? 'An earlier key' : 'The present key'}>
		<div class="flex flex-wrap items-baseline justify-between gap-3">
			<h2>{key.retiredAt ? 'Earlier key' : 'The key that signs'}</h2>
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
<h2 class="mt-6">Renew it</h2>
{#key data.keys.length}<Form action="?/renew" class="sheet mt-2 max-w-3xl p-4">
		{#snippet children({ busy })}
			<FormField
				label="Bring your own: certificate and private key, as PEM"
				hint="Leave it empty to have a new one made. The private key is kept sealed and never shown."
				kind="lines"
				mono
				name="pem"
				maxlength={40000}
				spellcheck="false"
				autocomplete="off"
			/>
			<Button type="submit" size="sm" class="mt-3" disabled={busy}>Renew the key</Button>
		{/snippet}
	</Form>{/key}
