import type { Piece } from '../compose/composition';
import { isSecretType } from '../values/field-types';
import type { Field } from '../values/fields';
import { SECRET_WORDS } from './secret-words';

/** A remark on a text, with the reason for it. It stops nothing. */
export interface Remark {
	readonly kind: 'plain secret' | 'factory password' | 'unquoted' | 'no description' | 'unused field';
	readonly piece: string;
	readonly line: number | null;
	readonly message: string;
}

const SECRET_WORD = new RegExp(`\\b(?:${SECRET_WORDS})"?\\s*:?\\s+"?(?!\\{\\{|")([^\\s",;{}]+)`, 'i');
/** Known to everybody who owns such a unit. */
const FACTORY =
	/^(admin|administrator|password|passw0rd|default|factory|changeme|letmein|root|guest|1234\d*|0000+)$/i;

/** What a careful reader would say of a piece. */
export function remarksOn({ name, text, fields }: Omit<Piece, 'id'>): readonly Remark[] {
	const remarks: Remark[] = [];
	const secrets = new Set(fields.filter(({ type }) => isSecretType(type)).map((field) => field.name));
	const texts = new Set(fields.filter(({ type }) => type.kind === 'text').map((field) => field.name));
	text.split('\n').forEach((line, index) => {
		const add = (kind: Remark['kind'], message: string) =>
			remarks.push({ kind, piece: name, line: index + 1, message });
		const plain = SECRET_WORD.exec(line)?.[1];
		if (plain !== undefined && FACTORY.test(plain))
			add(
				'factory password',
				`“${plain}” is known to everybody who owns such a unit. Give each site its own.`
			);
		else if (plain !== undefined)
			add(
				'plain secret',
				'A secret stands here in plain text, for everybody who reads the part. Make it a secret field.'
			);
		for (const [, field, filter] of line.matchAll(/"\{\{-?\s*([a-z_.]+)\s*(\|[^}]*)?-?\}\}"/g))
			if (
				!/quoted|xml/.test(filter ?? '') &&
				(texts.has(field!) || /\.name$/.test(field!) || secrets.has(field!))
			)
				add(
					'unquoted',
					`A quotation mark in “${field}” would end this word early. Write {{ ${field} | quoted }} without the marks around it.`
				);
	});
	for (const field of fields) {
		const used = new RegExp(`\\b${field.name}\\b`);
		if (field.description === '')
			remarks.push({
				kind: 'no description',
				piece: name,
				line: null,
				message: `“${field.name}” says nothing of what it is for.`
			});
		const read = used.test(text) || fields.some(({ formula }) => formula !== undefined && used.test(formula));
		if (!read)
			remarks.push({
				kind: 'unused field',
				piece: name,
				line: null,
				message: `“${field.name}” is asked for and not used.`
			});
	}
	return remarks;
}

/** Whether a secret is one that everybody knows. */
export const isFactoryPassword = (field: Field, value: string): boolean =>
	isSecretType(field.type) && FACTORY.test(value);
