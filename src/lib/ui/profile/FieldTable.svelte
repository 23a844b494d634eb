<script lang="ts">
	import { Button } from 'flowbite-svelte';
	import {
		describeType,
		FIELD_KINDS,
		NEEDS,
		SCOPES,
		type Field,
		type FieldType,
		type SimpleType
	} from '$core/profile';

	/** The fields that a part declares, to read or to write. */
	let { fields = $bindable(), readonly = false }: { fields: Field[]; readonly?: boolean } = $props();

	const SIMPLE = FIELD_KINDS.filter((kind) => kind !== 'list' && kind !== 'table') as SimpleType['kind'][];
	const fresh = (kind: FieldType['kind']): FieldType =>
		kind === 'list'
			? { kind, of: { kind: 'text' } }
			: kind === 'table'
				? { kind, columns: [{ name: 'name', type: { kind: 'text' } }] }
				: kind === 'choice'
					? { kind, choices: ['yes'] }
					: ({ kind } as FieldType);
	const add = () =>
		fields.push({
			name: `field_${fields.length + 1}`,
			type: { kind: 'text' },
			description: '',
			example: '',
			need: 'required',
			scope: 'site'
		});
	/** An empty cell is no value. */
	function set(field: Field, name: 'formula' | 'fallback', text: string) {
		if (text.trim() === '') delete field[name];
		else field[name] = text;
	}
	const whole = (text: string) => (/^-?\d+$/.test(text.trim()) ? Number(text) : undefined);
	function bound(
		type: { least?: number | undefined; most?: number | undefined },
		name: 'least' | 'most',
		text: string
	) {
		const number = whole(text);
		if (number === undefined) delete type[name];
		else type[name] = number;
	}
</script>

{#if readonly}
	<div class="sheet mt-2 overflow-auto">
		<table class="work-table">
			<thead
				><tr><th>Field</th><th>Type</th><th>Needed</th><th>Given at</th><th>What it is for</th></tr></thead
			>
			<tbody>
				{#each fields as field (field.name)}
					<tr
						><td class="mono">{field.name}</td><td>{describeType(field.type)}</td><td>{field.need}</td><td
							>{field.scope}</td
						><td
							>{field.description}{#if field.formula !== undefined}<div class="mono quiet">
									= {field.formula}
								</div>{/if}{#if field.fallback !== undefined}<div class="quiet">
									otherwise {field.fallback}
								</div>{/if}{#if field.example}<div class="quiet">such as {field.example}</div>{/if}</td
						></tr
					>
				{:else}<tr><td colspan="5" class="quiet">It asks for nothing.</td></tr>{/each}
			</tbody>
		</table>
	</div>
{:else}
	<ul class="mt-2 space-y-3">
		{#each fields as field, index (index)}
			<li class="sheet grid gap-3 p-3" data-field={field.name}>
				<div class="row">
					<label
						>Name <input
							class="field mono"
							bind:value={field.name}
							maxlength="63"
							spellcheck="false"
						/></label
					>
					<label
						>Type
						<select
							class="field"
							value={field.type.kind}
							onchange={({ currentTarget }) => (field.type = fresh(currentTarget.value as FieldType['kind']))}
							>{#each FIELD_KINDS as kind (kind)}<option>{kind}</option>{/each}</select
						></label
					>
					<label
						>Needed
						<select class="field" bind:value={field.need}
							>{#each NEEDS as need (need)}<option>{need}</option>{/each}</select
						></label
					>
					<label
						>Given at
						<select class="field" bind:value={field.scope}
							>{#each SCOPES as scope (scope)}<option>{scope}</option>{/each}</select
						></label
					>
					<Button
						size="xs"
						color="alternative"
						class="self-end"
						onclick={() => (fields = fields.filter((one) => one !== field))}>Remove</Button
					>
				</div>
				<div class="row">
					{#if field.type.kind === 'address' || field.type.kind === 'prefix' || field.type.kind === 'interface address'}
						{@const type = field.type}
						<label
							>Version <select
								class="field"
								value={String(type.version ?? '')}
								onchange={({ currentTarget }) => {
									if (currentTarget.value === '') delete type.version;
									else type.version = Number(currentTarget.value) as 4 | 6;
								}}
								><option value="">IPv4 or IPv6</option><option value="4">IPv4</option><option value="6"
									>IPv6</option
								></select
							></label
						>
					{:else if field.type.kind === 'number'}
						{@const type = field.type}
						<label
							>From <input
								class="field"
								inputmode="numeric"
								value={type.least ?? ''}
								onchange={({ currentTarget }) => bound(type, 'least', currentTarget.value)}
							/></label
						>
						<label
							>To <input
								class="field"
								inputmode="numeric"
								value={type.most ?? ''}
								onchange={({ currentTarget }) => bound(type, 'most', currentTarget.value)}
							/></label
						>
					{:else if field.type.kind === 'choice'}
						{@const type = field.type}
						<label class="grow"
							>One of <input
								class="field"
								value={type.choices.join(', ')}
								onchange={({ currentTarget }) =>
									(type.choices = currentTarget.value
										.split(',')
										.map((one) => one.trim())
										.filter(Boolean))}
							/></label
						>
					{:else if field.type.kind === 'text'}
						{@const type = field.type}
						<label class="grow"
							>Form (a pattern) <input
								class="field mono"
								value={type.pattern ?? ''}
								onchange={({ currentTarget }) => {
									if (currentTarget.value === '') delete type.pattern;
									else type.pattern = currentTarget.value;
								}}
							/></label
						>
					{:else if field.type.kind === 'list'}
						{@const type = field.type}
						<label
							>Each is a <select
								class="field"
								value={type.of.kind}
								onchange={({ currentTarget }) =>
									(type.of = fresh(currentTarget.value as FieldType['kind']) as SimpleType)}
								>{#each SIMPLE as kind (kind)}<option>{kind}</option>{/each}</select
							></label
						>
					{:else if field.type.kind === 'table'}
						{@const type = field.type}
						<label class="grow"
							>Columns, each “name type” <input
								class="field mono"
								value={type.columns.map((column) => `${column.name} ${column.type.kind}`).join(', ')}
								onchange={({ currentTarget }) =>
									(type.columns = currentTarget.value.split(',').flatMap((column) => {
										const [name, ...kind] = column.trim().split(/\s+/);
										const known = SIMPLE.find((one) => one === kind.join(' ')) ?? 'text';
										return name ? [{ name, type: fresh(known) as SimpleType }] : [];
									}))}
							/></label
						>
					{/if}
					<label class="grow"
						>Formula <input
							class="field mono"
							value={field.formula ?? ''}
							placeholder="lan | host: 1"
							oninput={({ currentTarget }) => set(field, 'formula', currentTarget.value)}
							spellcheck="false"
						/></label
					>
					<label class="grow"
						>Otherwise <input
							class="field mono"
							value={field.fallback ?? ''}
							oninput={({ currentTarget }) => set(field, 'fallback', currentTarget.value)}
							spellcheck="false"
						/></label
					>
				</div>
				<div class="row">
					<label class="grow-[2]"
						>What it is for <input class="field" bind:value={field.description} maxlength="500" /></label
					>
					<label class="grow"
						>Such as <input class="field mono" bind:value={field.example} maxlength="500" /></label
					>
				</div>
			</li>
		{/each}
	</ul>
	<p class="mt-3"><Button size="sm" color="alternative" onclick={add}>Add a field</Button></p>
{/if}

<style>
	.row {
		display: flex;
		flex-wrap: wrap;
		gap: 0.8rem;
	}
	.row label {
		flex: 1 1 8rem;
		color: var(--quiet);
	}
</style>
