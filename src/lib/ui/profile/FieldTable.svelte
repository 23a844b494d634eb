<script lang="ts">
	import {
		Button,
		Checkbox,
		TableBody,
		TableBodyCell,
		TableBodyRow,
		TableHead,
		TableHeadCell
	} from 'flowbite-svelte';
	import { FormField, Table } from '../kit';
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
	<Table classes={{ div: 'mt-2' }}>
		<TableHead
			><TableHeadCell>Field</TableHeadCell><TableHeadCell>Type</TableHeadCell><TableHeadCell
				>Needed</TableHeadCell
			><TableHeadCell>Given at</TableHeadCell><TableHeadCell>What it is for</TableHeadCell></TableHead
		>
		<TableBody>
			{#each fields as field (field.name)}
				<TableBodyRow
					><TableBodyCell class="mono">{field.name}</TableBodyCell><TableBodyCell
						>{describeType(field.type)}</TableBodyCell
					><TableBodyCell>{field.need}</TableBodyCell><TableBodyCell>{field.scope}</TableBodyCell
					><TableBodyCell
						>{field.description}{#if field.formula !== undefined}<div class="mono quiet">
								= {field.formula}
							</div>{/if}{#if field.fallback !== undefined}<div class="quiet">
								otherwise {field.fallback}
							</div>{/if}{#if field.example}<div class="quiet">
								such as {field.example}
							</div>{/if}</TableBodyCell
					></TableBodyRow
				>
			{:else}<TableBodyRow
					><TableBodyCell colspan={5} class="quiet">It asks for nothing.</TableBodyCell></TableBodyRow
				>{/each}
		</TableBody>
	</Table>
{:else}
	<ul class="mt-2 space-y-3">
		{#each fields as field, index (index)}
			<li class="sheet grid gap-3 p-3" data-field={field.name}>
				<div class="row">
					<FormField label="Name" mono bind:value={field.name} maxlength={63} spellcheck="false" />
					<FormField
						label="Type"
						kind="select"
						value={field.type.kind}
						onchange={({ currentTarget }) => (field.type = fresh(currentTarget.value as FieldType['kind']))}
						>{#each FIELD_KINDS as kind (kind)}<option>{kind}</option>{/each}</FormField
					>
					<FormField label="Needed" kind="select" bind:value={field.need}
						>{#each NEEDS as need (need)}<option>{need}</option>{/each}</FormField
					>
					<FormField label="Given at" kind="select" bind:value={field.scope}
						>{#each SCOPES as scope (scope)}<option>{scope}</option>{/each}</FormField
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
						<FormField
							label="Version"
							kind="select"
							value={String(type.version ?? '')}
							onchange={({ currentTarget }) => {
								if (currentTarget.value === '') delete type.version;
								else type.version = Number(currentTarget.value) as 4 | 6;
							}}
							><option value="">IPv4 or IPv6</option><option value="4">IPv4</option><option value="6"
								>IPv6</option
							></FormField
						>
					{:else if field.type.kind === 'secret'}
						{@const type = field.type}
						<FormField
							label="Local account"
							mono
							value={type.account ?? ''}
							maxlength={32}
							spellcheck="false"
							hint="Whose password it is: that it lets in can be tried."
							onchange={({ currentTarget }) => {
								if (currentTarget.value.trim() === '') delete type.account;
								else type.account = currentTarget.value.trim();
							}}
						/>
						<Checkbox
							class="self-end pb-2"
							checked={type.given ?? false}
							onchange={({ currentTarget }) => {
								if (currentTarget.checked) type.given = true;
								else delete type.given;
							}}>somebody else gives it</Checkbox
						>
					{:else if field.type.kind === 'number'}
						{@const type = field.type}
						<FormField
							label="From"
							inputmode="numeric"
							value={type.least ?? ''}
							onchange={({ currentTarget }) => bound(type, 'least', currentTarget.value)}
						/>
						<FormField
							label="To"
							inputmode="numeric"
							value={type.most ?? ''}
							onchange={({ currentTarget }) => bound(type, 'most', currentTarget.value)}
						/>
					{:else if field.type.kind === 'choice'}
						{@const type = field.type}
						<FormField
							label="One of"
							class="grow"
							value={type.choices.join(', ')}
							onchange={({ currentTarget }) =>
								(type.choices = currentTarget.value
									.split(',')
									.map((one) => one.trim())
									.filter(Boolean))}
						/>
					{:else if field.type.kind === 'text'}
						{@const type = field.type}
						<FormField
							label="Form (a pattern)"
							mono
							class="grow"
							value={type.pattern ?? ''}
							onchange={({ currentTarget }) => {
								if (currentTarget.value === '') delete type.pattern;
								else type.pattern = currentTarget.value;
							}}
						/>
					{:else if field.type.kind === 'list'}
						{@const type = field.type}
						<FormField
							label="Each is a"
							kind="select"
							value={type.of.kind}
							onchange={({ currentTarget }) =>
								(type.of = fresh(currentTarget.value as FieldType['kind']) as SimpleType)}
							>{#each SIMPLE as kind (kind)}<option>{kind}</option>{/each}</FormField
						>
					{:else if field.type.kind === 'table'}
						{@const type = field.type}
						<FormField
							label="Columns, each “name type”"
							mono
							class="grow"
							value={type.columns.map((column) => `${column.name} ${column.type.kind}`).join(', ')}
							onchange={({ currentTarget }) =>
								(type.columns = currentTarget.value.split(',').flatMap((column) => {
									const [name, ...kind] = column.trim().split(/\s+/);
									const known = SIMPLE.find((one) => one === kind.join(' ')) ?? 'text';
									return name ? [{ name, type: fresh(known) as SimpleType }] : [];
								}))}
						/>
					{/if}
					<FormField
						label="Formula"
						mono
						class="grow"
						value={field.formula ?? ''}
						placeholder="lan | host: 1"
						oninput={({ currentTarget }) => set(field, 'formula', currentTarget.value)}
						spellcheck="false"
					/>
					<FormField
						label="Otherwise"
						mono
						class="grow"
						value={field.fallback ?? ''}
						oninput={({ currentTarget }) => set(field, 'fallback', currentTarget.value)}
						spellcheck="false"
					/>
				</div>
				<div class="row">
					<FormField label="What it is for" class="grow-[2]" bind:value={field.description} maxlength={500} />
					<FormField label="Such as" mono class="grow" bind:value={field.example} maxlength={500} />
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
	.row > :global(div) {
		flex: 1 1 8rem;
		color: var(--quiet);
	}
</style>
