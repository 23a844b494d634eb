import { MASK, type Values } from '../../../../core/profile';

/** Values as people may see them: secrets are masked. */
export const maskedValues = (values: Values, isSecret: (name: string) => boolean): Values =>
	Object.fromEntries(Object.entries(values).map(([name, value]) => [name, isSecret(name) ? MASK : value]));

/** What came back from a page, where a mask stands for the secret that was there. */
export const withKept = (given: Values, before: Values): Values =>
	Object.fromEntries(
		Object.entries(given).flatMap(([name, value]) =>
			value !== MASK ? [[name, value]] : Object.hasOwn(before, name) ? [[name, before[name]!]] : []
		)
	);
