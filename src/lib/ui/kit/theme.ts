import type { ThemeConfig } from 'flowbite-svelte';

/**
 * How the library's components look here, once for all: their colours are the tokens of `app.css`, this says
 * how dense they are. Nothing is styled where it is used.
 */
export const theme: ThemeConfig = {
	accordion: 'border-[var(--hairline)] text-[var(--ink)] dark:text-[var(--ink)]',
	accordionItem: {
		button:
			'py-2 text-base font-semibold text-[var(--ink)] dark:text-[var(--ink)] border-[var(--hairline)] dark:border-[var(--hairline)] gap-2',
		content: 'py-2 text-base border-0'
	},
	alert:
		'p-3 text-base bg-[var(--sheet)] dark:bg-[var(--sheet)] text-[var(--ink)] dark:text-[var(--ink)] border border-[var(--hairline)] border-l-4 rounded-md',
	badge: { base: 'rounded-md font-semibold' },
	button: { base: 'rounded-md font-semibold cursor-pointer' },
	checkbox: { base: 'shrink-0 dark:bg-gray-800', div: 'gap-1 text-base font-normal' },
	dropdown:
		'min-w-52 border border-[var(--hairline)] bg-[var(--sheet)] dark:bg-[var(--sheet)] rounded-md shadow-lg text-[var(--ink)]',
	dropdownGroup: 'py-1 text-base text-[var(--ink)] dark:text-[var(--ink)]',
	dropzone: 'h-28 border-[var(--hairline)] bg-[var(--paper)] dark:bg-[var(--paper)] px-4 text-center',
	helper: 'mt-1 text-sm font-normal text-[var(--quiet)] dark:text-[var(--quiet)]',
	input: {
		input:
			'py-1.5 px-2.5 text-base rounded-md bg-[var(--paper)] dark:bg-[var(--paper)] border-[var(--hairline)] dark:border-[var(--hairline)] placeholder:text-[var(--quiet)]'
	},
	label: 'mb-1 text-base font-semibold text-[var(--ink)] dark:text-[var(--ink)]',
	modal: { base: 'text-[var(--ink)] dark:text-[var(--ink)]' },
	radio: { input: 'shrink-0 dark:bg-gray-800' },
	select: {
		select:
			'py-1.5 ps-2.5 pe-9 text-base text-ellipsis rounded-md bg-[var(--paper)] dark:bg-[var(--paper)] border-[var(--hairline)] dark:border-[var(--hairline)]'
	},
	table: {
		div: 'sheet max-lg:overflow-x-auto overflow-visible',
		table: 'text-base text-[var(--ink)] dark:text-[var(--ink)]'
	},
	tableBodyCell: 'h-9 px-3 py-1 whitespace-normal font-normal',
	tableBodyRow:
		'border-[var(--hairline)] dark:border-[var(--hairline)] bg-transparent dark:bg-transparent hover:bg-[var(--chosen)]',
	tableHead:
		'normal-case text-base text-[var(--quiet)] dark:text-[var(--quiet)] bg-[var(--sheet)] dark:bg-[var(--sheet)]',
	tableHeadCell:
		'px-3 py-1.5 font-semibold whitespace-nowrap border-b border-[var(--hairline)] lg:sticky lg:top-0 lg:z-[1] bg-[var(--sheet)] first:rounded-tl-md last:rounded-tr-md',
	tabs: {
		base: 'flex-wrap gap-x-1 space-x-0',
		content: 'p-0 mt-3 bg-transparent dark:bg-transparent rounded-none',
		divider: 'bg-[var(--hairline)] dark:bg-[var(--hairline)]',
		active: 'px-3 py-2',
		inactive: 'px-3 py-2'
	},
	tabItem: { button: '!px-3 !py-2 cursor-pointer' },
	textarea: {
		div: 'w-full',
		base: 'px-2.5 py-1.5 text-base',
		wrapper:
			'text-base rounded-md w-full bg-[var(--paper)] dark:bg-[var(--paper)] border-[var(--hairline)] dark:border-[var(--hairline)]'
	},
	timelineItem: {
		base: 'mb-3 ms-5',
		time: 'mono text-sm font-normal text-[var(--quiet)] dark:text-[var(--quiet)] mb-0',
		h3: 'text-base font-bold text-[var(--ink)] dark:text-[var(--ink)]'
	},
	tooltip: { base: 'text-sm font-normal' }
};
