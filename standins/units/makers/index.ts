import { BRACKWATER } from './brackwater';
import { LUMENFOLD } from './lumenfold';
import type { Maker } from './maker';
import { OKAPIRA } from './okapira';
import { VELTRANE } from './veltrane';

export type { Account, Device, Home, Maker } from './maker';
export const MAKERS: Readonly<Record<string, Maker>> = {
	veltrane: VELTRANE,
	okapira: OKAPIRA,
	lumenfold: LUMENFOLD,
	brackwater: BRACKWATER
};
