import { shapes } from '../shapes.js';

export const mount = (body) => shapes(body, 'ranking');
