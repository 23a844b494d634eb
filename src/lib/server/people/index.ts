export * from './account';
export * from './actor';
export * from './administration';
export * from './admission';
export * from './firm';
export * from './gates';
export * from './demo';
export {
	createPersonalToken,
	endPersonalToken,
	personalTokens,
	personalTokenSchema,
	type PersonalToken
} from './personal-tokens';
export * from './service-tokens';
export * from './sessions';
export * from './sign-in';
export * from './streams';
export * from './tickets';
export * from './requests';
export { newToken, tokenHash } from './chance';
export * from './limits';
export * from './shared';
