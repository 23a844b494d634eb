<script lang="ts">
	import { Button, TableBody, TableBodyCell, TableBodyRow, TableHead, TableHeadCell } from 'flowbite-svelte';
	import { Table } from '../kit';
	import { counted } from '$core/text';
	import { hoursInWords, type WindowRule } from '$core/windows';
	import { mayDo } from '../people';

	/** Which customers state windows, and what of theirs states others; each leads to where they are stated. */
	interface Named {
		readonly id: string;
		readonly name: string;
	}
	interface Props {
		stated: readonly {
			readonly customerId: string;
			readonly customerName: string;
			readonly rule: WindowRule | null;
			readonly patterns: readonly Named[];
			readonly sites: readonly Named[];
			readonly siteCount: number;
		}[];
	}
	const { stated }: Props = $props();

	const wordsOf = (rule: WindowRule | null) =>
		[
			hoursInWords(rule?.hours ?? null),
			rule?.without.length ? `not on ${counted(rule.without.length, 'day')}` : '',
			rule?.asksFirst ? 'the contact is asked first' : ''
		]
			.filter(Boolean)
			.join('; ');
	const ownOf = ({ patterns, sites }: Props['stated'][0]) => [
		...patterns.map(({ id, name }) => ({ id, href: `?pattern=${id}`, words: `sites like “${name}”` })),
		...sites.map(({ id, name }) => ({ id, href: `?site=${id}`, words: name }))
	];
</script>

{#if stated.length > 0}<div class="mt-3">
		<Table>
			<TableHead>
				<TableHeadCell>Customer</TableHeadCell>
				<TableHeadCell>At its sites</TableHeadCell>
				<TableHeadCell>Otherwise at</TableHeadCell>
			</TableHead>
			<TableBody>
				{#each stated as one (one.customerId)}<TableBodyRow data-customer={one.customerName}>
						<TableBodyCell>
							{one.customerName}
							<form method="POST" action="/customer" class="mt-1">
								<input type="hidden" name="back" value="/upkeep/windows" />
								<Button type="submit" name="customer" value={one.customerId} size="xs" color="alternative"
									>{mayDo('plan sites', one.customerId) ? 'Set its windows' : 'See its windows'}<span
										class="sr-only">, {one.customerName}</span
									></Button
								>
							</form>
						</TableBodyCell>
						<TableBodyCell>{wordsOf(one.rule)}</TableBodyCell>
						<TableBodyCell
							>{#each ownOf(one) as { id, href, words }, at (id)}{at > 0 ? ', ' : ''}<a {href}>{words}</a
								>{/each}{#if one.siteCount > one.sites.length}
								and {counted(one.siteCount - one.sites.length, 'more site')}{/if}</TableBodyCell
						>
					</TableBodyRow>{/each}
			</TableBody>
		</Table>
	</div>
{:else}<p class="mt-3">There is no customer yet.</p>{/if}
