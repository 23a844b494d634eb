import { createHash, randomBytes } from 'node:crypto';

/** What is handed out once and kept only as its hash: sessions, links and service tokens. */
const TOKEN_BYTES = 32;

export const newToken = (): string => randomBytes(TOKEN_BYTES).toString('base64url');

/** Enough for what is random itself; passwords need more. */
export const tokenHash = (token: string): Buffer => createHash('sha256').update(token).digest();
