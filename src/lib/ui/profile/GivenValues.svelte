<script lang="ts">
	import { TableBody, TableBodyCell, TableBodyRow, TableHead, TableHeadCell } from 'flowbite-svelte';
	import {
		describeType,
		isSecretType,
		MASK,
		readValue,
		writeValue,
		type Field,
		type Value
	} from '$core/profile';
	import { FormField, Table } from '../kit';

	/** The values that a profile itself gives, field by field; what cannot be read is said as it is typed. */
	interface Props {
		values: Record<string, Value>;
		fields: readonly Field[];
		writing: boolean;
	}
	let { values = $bindable(), fields, writing }: Props = $props();

	let typed = $state<Record<string, string>>({});
	/** A value as it is typed: kept when it can be read, else its problem is shown and nothing is lost. */
	function give(field: Field, text: string) {
		typed[field.name] = text;
		if (text === '') {
			delete values[field.name];
			return;
		}
		const reading = readValue(field.type, text);
		if (reading.ok) values[field.name] = structuredClone(reading.value) as Value;
	}
	const problemOf = (field: Field) => {
		const text = typed[field.name];
		if (text === undefined || text === '' || text === MASK) return null;
		const reading = readValue(field.type, text);
		return reading.ok ? null : reading.message;
	};
	const shownValue = (field: Field) => {
		const value = values[field.name];
		return typed[field.name] ?? (value === undefined ? '' : writeValue(value));
	};
</script>

<h2>Values given here</h2>
<p class="quiet">They count for every position; a customer, a site or a position may give its own.</p>

<Table classes={{ div: 'mt-2' }}>
	<TableHead
		><TableHeadCell>Field</TableHeadCell><TableHeadCell>Value</TableHeadCell><TableHeadCell
			>Expected at</TableHeadCell
		></TableHead
	>
	<TableBody>
		{#each fields as field (field.name)}
			{#if writing || values[field.name] !== undefined}
				<TableBodyRow
					><TableBodyCell
						><span class="mono">{field.name}</span>
						<div class="quiet text-sm">
							{field.description}
							<br />Kind: {describeType(field.type)}
						</div></TableBodyCell
					><TableBodyCell class="w-1/2"
						>{#if writing}<FormField
								label={field.name}
								bare
								mono
								value={shownValue(field)}
								placeholder={field.formula === undefined
									? (field.fallback ?? field.example)
									: `= ${field.formula}`}
								oninput={({ currentTarget }) => give(field, currentTarget.value)}
								spellcheck="false"
								autocomplete="off"
								problem={problemOf(field)}
							/>{:else}<span class="mono"
								>{isSecretType(field.type) ? MASK : writeValue(values[field.name]!)}</span
							>{/if}</TableBodyCell
					><TableBodyCell
						>{#if field.scope === 'profile'}<b>here</b>, {field.need}{:else}{field.scope}, {field.need}{/if}</TableBodyCell
					></TableBodyRow
				>
			{/if}
		{:else}<TableBodyRow
				><TableBodyCell colspan={3} class="quiet">Its parts ask for nothing.</TableBodyCell></TableBodyRow
			>{/each}
	</TableBody>
</Table>
