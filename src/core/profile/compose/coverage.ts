import type { Dialect } from '../../config';
import { portsNeeded } from './compose';

/** A text for each dialect that is supported. */
export type Texts = Readonly<Partial<Record<Dialect, string>>>;

export interface CoveredModel {
	readonly id: string;
	readonly name: string;
	readonly dialect: Dialect;
	readonly roles: readonly string[];
	/** Port names by port role. */
	readonly ports: Readonly<Record<string, string>>;
}

export interface Coverage {
	readonly modelId: string;
	readonly modelName: string;
	/** Why the profile cannot serve the model; empty when it can. */
	readonly gaps: readonly string[];
}

/**
 * Which models a profile serves: those of its role for which every part has a text, and which have the
 * ports that these texts speak of.
 */
export function coverageOf(
	role: string,
	parts: readonly { readonly name: string; readonly texts: Texts }[],
	models: readonly CoveredModel[]
): readonly Coverage[] {
	return models.map(({ id, name, dialect, roles, ports }) => {
		const gaps = parts.flatMap((part) => {
			const text = part.texts[dialect];
			if (text === undefined) return [`“${part.name}” has no text in the ${dialect} dialect.`];
			return portsNeeded(text)
				.filter((port) => !Object.hasOwn(ports, port))
				.map((port) => `“${part.name}” needs a port for ${port}, which this model does not have.`);
		});
		if (!roles.includes(role)) gaps.unshift(`It cannot serve as ${role}.`);
		else if (parts.length === 0) gaps.unshift('There is no part yet.');
		return { modelId: id, modelName: name, gaps };
	});
}
