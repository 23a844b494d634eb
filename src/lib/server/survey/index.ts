export { startSurveys } from './go-on';
export {
	beginSurvey,
	cancelSurvey,
	dropSurvey,
	keepSpots,
	saveSurvey,
	spotsSchema,
	surveySchema
} from './keep';
export { besideThePlan } from './beside';
export { changesSince, mapOfRun, newestMap, surveyRows, whereIs } from './map';
export {
	addressesOf,
	draggedIn,
	lettingIn,
	listedSurveys,
	runsOf,
	surveyById,
	type AskedAddress,
	type Every,
	type ListedSurvey,
	type RunState,
	type Survey,
	type SurveyRun
} from './store';
