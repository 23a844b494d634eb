export * from './import';
export * from './store';
export { POOL_SCOPES, type Allotment, type Pool } from './pools/pool-space';
export * from './pools/pools';
export { allotMissing, importUsed, releaseAllotment } from './pools/allotting';
export * from './sheet/sheet';
export * from './sheet/values';
export * from './sheet/sheet-file';
export { addPosition, addPositionIn, followProfile, followProfileIn, removePosition } from './positions';
export {
	colleagues,
	FACT_COLUMNS,
	patternById,
	standingSites,
	type Colleague,
	type StoredPattern
} from './sites/standing-sites';
export * from './patterns/followers';
export * from './patterns/patterns';
export {
	likeOthers,
	stampIn,
	tryStamping,
	stampColumns,
	explainColumn,
	stampSites,
	type Stamping,
	type StampOutcome
} from './patterns/stamping';
export * from './sites/site-page';
export * from './sites/sites';
export * from './sites/visits';
export * from './sites/site-list';
export { lookAtSite, planSite, type OneSite } from './sites/one-site';
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
export * from './sites/calendar';
export * from './map/geojson';
export * from './map/land';
export * from './patterns/pattern-page';
export * from './sheet/sheet-choice';
export { landResponse } from './map/land-response';
