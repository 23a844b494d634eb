export * from './acts';
export {
	positionChoices,
	toldAcross,
	tunnels,
	tunnelsWanted,
	type TunnelPlace,
	type TunnelRow,
	type WantedTunnels
} from './store';
