import { patient } from '$ui/live';

// The framework asks for the data of pages through this one, so that it can be another
window.fetch = patient(window.fetch.bind(window));
