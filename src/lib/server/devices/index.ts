export { authoritiesOf, onAuthorities, startDevices, stopDevices } from './authorities';
export { certificateDemands, demandCertificates, demandSchema } from './demands';
export { judge, type Certified } from './identity';
export { listSchema, loadRevocationList, revocationListsOf } from './revocations';
export { fromHeader, DEVICE_CONTEXT, shownBy, TLS_FOR_DEVICES } from './shown';
