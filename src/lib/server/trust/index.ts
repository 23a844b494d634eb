export { signedAnswer, type SignedAnswer } from './answer';
export { renewVouchers, startVouchers, stopVouchers, voucherOf } from './vouchers';
