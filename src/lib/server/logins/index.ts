import { startTrying } from './try';

export { dropLogin, loginSchema, loginsOf, saveLogin, type ShownLogin } from './logins';
export { enterWith } from './enter';
export { lastTries, tryLogins, triesSchema, type ShownTry } from './try';

/** From now on logins are tried where somebody wants it. */
export const startLogins = (): void => startTrying();
