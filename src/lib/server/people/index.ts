export * from './account';
export * from './actor';
export * from './administration';
export * from './coming-in/admission';
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
export * from './coming-in/sessions';
export * from './coming-in/sign-in';
export * from './streams';
export * from './coming-in/tickets';
export * from './requests';
export { newToken, tokenHash } from './coming-in/chance';
export * from './limits';
export * from './shared';
