/**
 * How each maker's firmware reads and prints its configuration; see the manual pages beside this. On purpose it shares
 * nothing with how Limen reads them.
 */
export interface Statement {
	readonly word: string;
	readonly value: string;
	readonly kind: 'setting' | 'block' | 'list';
	readonly inside: Statement[];
	readonly line: number;
	/** Of an element, its namespace. */
	readonly namespace?: string;
}
export class NotUnderstood extends Error {
	constructor(
		readonly line: number,
		message: string
	) {
		super(message);
	}
}
export interface Format {
	/** Throws NotUnderstood at the first line that is none. */
	readonly read: (text: string) => Statement[];
	readonly print: (statements: readonly Statement[]) => string;
}

const words = (text: string, line: number): string[] => {
	const found: string[] = text.match(/"(?:[^"\\]|\\.)*"|[^\s"]+|"/g) ?? [];
	if (found.includes('"')) throw new NotUnderstood(line, 'quote is not closed');
	return found;
};
const setting = ([word = '', ...value]: string[], line: number): Statement => ({
	word,
	value: value.join(' '),
	kind: 'setting',
	inside: [],
	line
});
const said = ({ word, value }: Statement) => (value === '' ? word : word === '' ? value : `${word} ${value}`);

/** Veltrane: a line a statement, what is deeper belongs to the line above. */
export const INDENTED: Format = {
	read(text) {
		const top: Statement[] = [];
		const open = [{ depth: 0, statements: top }];
		text.split('\n').forEach((raw, index) => {
			const line = index + 1;
			const bare = raw.trim();
			if (bare === '' || bare.startsWith('!') || bare.startsWith('#')) return;
			const depth = raw.length - raw.trimStart().length;
			while (depth < open.at(-1)!.depth) open.pop();
			if (depth > open.at(-1)!.depth) {
				const above = open.at(-1)!.statements.at(-1);
				if (!above) throw new NotUnderstood(line, 'bad indentation');
				(above as { kind: Statement['kind'] }).kind = 'block';
				open.push({ depth, statements: above.inside });
			}
			open.at(-1)!.statements.push(setting(words(bare, line), line));
		});
		return top;
	},
	print: (statements) => {
		const lines = (all: readonly Statement[], depth: number): string =>
			all.map((one) => `${'  '.repeat(depth)}${said(one)}\n${lines(one.inside, depth + 1)}`).join('');
		return lines(statements, 0);
	}
};

/** Okapira: statements end with `;`, blocks stand in braces. */
export const BRACED: Format = {
	read(text) {
		const top: Statement[] = [];
		const open = [top];
		let gathered: string[] = [];
		let [line, from] = [1, 1];
		for (const [token] of text.matchAll(/\n|#[^\n]*|\/\*[^]*?\*\/|"(?:[^"\\]|\\.)*"|[{};]|[^\s{};"#]+|\S/g)) {
			if (token === '\n' || token.startsWith('#') || token.startsWith('/*')) {
				line += token.split('\n').length - 1;
				continue;
			}
			if (!'{};'.includes(token)) {
				if (gathered.length === 0) from = line;
				gathered.push(token);
				continue;
			}
			if (token === '}') {
				if (gathered.length > 0) throw new NotUnderstood(from, 'expected ";"');
				if (open.length === 1) throw new NotUnderstood(line, 'unexpected "}"');
				open.pop();
				continue;
			}
			if (gathered.length === 0) throw new NotUnderstood(line, `unexpected "${token}"`);
			const made = setting(gathered, from);
			gathered = [];
			if (token === ';') open.at(-1)!.push(made);
			else {
				open.at(-1)!.push({ ...made, kind: 'block' });
				open.push(open.at(-1)!.at(-1)!.inside);
			}
		}
		if (gathered.length > 0) throw new NotUnderstood(from, 'expected ";"');
		if (open.length > 1) throw new NotUnderstood(line, 'expected "}"');
		return top;
	},
	print: (statements) => {
		const lines = (all: readonly Statement[], depth: number): string =>
			all
				.map((one) => {
					const start = '\t'.repeat(depth) + said(one);
					return one.kind === 'setting'
						? `${start};\n`
						: `${start} {\n${lines(one.inside, depth + 1)}${'\t'.repeat(depth)}}\n`;
				})
				.join('');
		return lines(statements, 0);
	}
};

/** Lumenfold: one JSON object. */
export const OBJECT: Format = {
	read(text) {
		const tokens = [...text.matchAll(/\n|"(?:[^"\\]|\\.)*"|[[\]{},:]|[^\s[\]{},:"]+|\S/g)].map(
			([token]) => token
		);
		let [at, line] = [0, 1];
		const peek = (): string => {
			while (tokens[at] === '\n') {
				at++;
				line++;
			}
			return tokens[at] ?? '';
		};
		const take = (wanted?: string): string => {
			const token = peek();
			if (token === '' || (wanted !== undefined && token !== wanted))
				throw new NotUnderstood(line, wanted ? `expected "${wanted}"` : 'unexpected end');
			at++;
			return token;
		};
		const literal = (token: string): string => {
			try {
				return JSON.stringify(JSON.parse(token));
			} catch {
				throw new NotUnderstood(line, `bad value ${token}`);
			}
		};
		const items = (close: string, one: () => Statement): Statement[] => {
			const all: Statement[] = [];
			while (peek() !== close) {
				if (all.length > 0) take(',');
				all.push(one());
			}
			take(close);
			return all;
		};
		const value = (word: string, from: number): Statement => {
			const token = take();
			if (token === '{') return { word, value: '', kind: 'block', inside: items('}', member), line: from };
			if (token === '[')
				return { word, value: '', kind: 'list', inside: items(']', () => value('', line)), line: from };
			return { word, value: literal(token), kind: 'setting', inside: [], line: from };
		};
		const member = (): Statement => {
			peek();
			const from = line;
			const word = JSON.parse(literal(take())) as string;
			take(':');
			return value(word, from);
		};
		const { kind, inside } = value('', 1);
		if (kind !== 'block' || peek() !== '') throw new NotUnderstood(line, 'expected one object');
		return inside;
	},
	print: (statements) => {
		const plain = ({ kind, value, inside }: Statement): unknown =>
			kind === 'setting'
				? JSON.parse(value)
				: kind === 'list'
					? inside.map(plain)
					: Object.fromEntries(inside.map((one) => [one.word, plain(one)]));
		return `${JSON.stringify(Object.fromEntries(statements.map((one) => [one.word, plain(one)])), null, 1)}\n`;
	}
};

const TAG =
	/<\?[^>]*\?>|<!--[^]*?-->|<\/([\w:.-]+)\s*>|<([\w:.-]+)((?:\s+[\w:.-]+\s*=\s*(?:"[^"<]*"|'[^'<]*'))*)\s*(\/?)>|[^<]+|</g;
const ENTITIES: Readonly<Record<string, string>> = { amp: '&', lt: '<', gt: '>', quot: '"', apos: "'" };
const plainText = (text: string): string =>
	text.replace(/&(?:#(\d+)|#x([0-9a-fA-F]+)|(\w+));/g, (all, decimal, hex, name) =>
		decimal || hex
			? String.fromCodePoint(Number.parseInt(decimal ?? hex, decimal ? 10 : 16))
			: (ENTITIES[name] ?? all)
	);
export const markedUp = (text: string): string =>
	text.replace(/[&<>]/g, (sign) => `&${{ '&': 'amp', '<': 'lt', '>': 'gt' }[sign]};`);

/** Brackwater: elements, told by namespace and name. */
export const MARKUP: Format = {
	read(text) {
		const top: Statement[] = [];
		interface Open {
			readonly tag: string;
			readonly statement: { -readonly [Key in keyof Statement]: Statement[Key] };
			readonly prefixes: Readonly<Record<string, string>>;
		}
		const open: Open[] = [];
		let line = 1;
		for (const [token, closing, opening, attributes = '', empty] of text.matchAll(TAG)) {
			const around = open.at(-1);
			if (opening) {
				const prefixes: Record<string, string> = { ...around?.prefixes };
				for (const [, prefix = '', , double, single] of attributes.matchAll(
					/\sxmlns(?::([\w.-]+))?\s*=\s*("([^"]*)"|'([^']*)')/g
				))
					prefixes[prefix] = double ?? single ?? '';
				const [, prefix = '', word = ''] = /^(?:([^:]+):)?(.+)$/.exec(opening)!;
				if (prefix && !(prefix in prefixes)) throw new NotUnderstood(line, `unknown prefix "${prefix}"`);
				const statement = {
					word,
					value: '',
					kind: 'setting' as Statement['kind'],
					inside: [],
					line,
					namespace: prefixes[prefix] ?? ''
				};
				if (around) around.statement.kind = 'block';
				(around?.statement.inside ?? top).push(statement);
				if (!empty) open.push({ tag: opening, statement, prefixes });
			} else if (closing) {
				const closed = open.pop();
				if (closed?.tag !== closing) throw new NotUnderstood(line, `unexpected end of "${closing}"`);
				closed.statement.value = closed.statement.kind === 'block' ? '' : closed.statement.value.trim();
			} else if (!token.startsWith('<')) {
				if (around) around.statement.value += plainText(token);
				else if (token.trim() !== '') throw new NotUnderstood(line, 'text outside of elements');
			} else if (token === '<') throw new NotUnderstood(line, 'broken tag');
			line += token.split('\n').length - 1;
		}
		if (open.length > 0) throw new NotUnderstood(line, `"${open.at(-1)!.tag}" is not closed`);
		return top;
	},
	// In a form of its own: a prefix for each module, and no white space
	print: (statements) => {
		const element = ({ word, value, inside, namespace }: Statement, around?: string): string => {
			const declared = namespace === around ? '' : ` xmlns:m="${namespace}"`;
			const content =
				inside.length > 0 ? inside.map((one) => element(one, namespace)).join('') : markedUp(value);
			return content === '' ? `<m:${word}${declared}/>` : `<m:${word}${declared}>${content}</m:${word}>`;
		};
		return statements.map((one) => element(one)).join('');
	}
};
