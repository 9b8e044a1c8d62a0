import { modelTest } from './helpers/model';

modelTest('127.61.32', 150, 20_261_128, false);
