export { default as Serial } from './Serial.svelte';
export { default as Shape } from './Shape.svelte';
export { default as Standing } from './Standing.svelte';
export { default as Warnings } from './Warnings.svelte';
export { default as When } from './When.svelte';
export { clock } from './clock.svelte';
export { duration, lasting } from './duration';
export { dayOf, exactly, hourOf, momentOf, secondOf, weekdayOf } from '$core/text';
export { betterFirst, worstOf, type Shown } from './shown';
