export * from './import';
export * from './store';
export { POOL_SCOPES, type Allotment, type Pool } from './pool-space';
export * from './pools';
export { allotMissing, importUsed, releaseAllotment } from './allotting';
export * from './sheet';
export * from './values';
export * from './sheet-file';
export {
	addPosition,
	addPositionIn,
	followProfile,
	followProfileIn,
	removePosition
} from './positions';
export {
	colleagues,
	FACT_COLUMNS,
	patternById,
	standingSites,
	type Colleague,
	type StoredPattern
} from './standing-sites';
export * from './followers';
export * from './patterns';
export {
	likeOthers,
	stampIn,
	tryStamping,
	stampColumns,
	explainColumn,
	stampSites,
	type Stamping,
	type StampOutcome
} from './stamping';
export * from './site-page';
export * from './sites';
export * from './visits';
export * from './site-list';
export { lookAtSite, planSite, type OneSite } from './one-site';
export { cablingOf, cablingSchema, decideCabling, type Cabling, type PortedPosition } from './cabling';
export {
	planTunnel,
	planWantedTunnels,
	positionChoices,
	removeTunnel,
	renewTunnelSecret,
	tunnels,
	tunnelSchema,
	tunnelsWanted,
	type TunnelRow
} from './tunnels';
export * from './calendar';
export * from './geojson';
export * from './land';
export * from './pattern-page';
export * from './sheet-choice';
export { landResponse } from './land-response';
