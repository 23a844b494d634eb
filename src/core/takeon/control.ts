import type { Stance } from '../stance';

/** How far one unit of a take-on is under control. */
export interface Controlled {
	readonly unitId: string;
	readonly site: string;
	readonly position: string;
	readonly positionId: string;
	readonly profileId: string;
	/** How it is looked after, whatever states that. */
	readonly stance: Stance;
	/** Null: not looked at yet. */
	readonly isAsIntended: boolean | null;
	/** Its profile wants something else of it than it was given. */
	readonly isBehind: boolean;
	readonly way: 'home' | 'address' | null;
	/** It can be reached at an address, beside or instead of calling home. */
	readonly hasAddress: boolean;
	/** It has called home for days: its address is needed no more. */
	readonly isSettled: boolean;
}

/** Whether a stage would change anything for a unit: held is only one that was seen to run what is intended; watched again is any. */
export const takesStage = ({ stance, isAsIntended }: Controlled, wanted: Stance): boolean =>
	stance !== wanted && (wanted === 'watch' || isAsIntended === true);

/** A profile that does not let Limen in, or does not send its units home, and what of the library would. */
export interface WithoutWayIn {
	readonly profileId: string;
	readonly name: string;
	/** Something of it is being written: it is released, or thrown away, first. */
	readonly hasDraft: boolean;
	/** In words: the address to call home, the key that lets Limen in. */
	readonly lacks: readonly string[];
	readonly parts: readonly { readonly value: string; readonly name: string }[];
}
