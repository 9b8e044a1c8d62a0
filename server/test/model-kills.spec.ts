import { modelTest } from './helpers/model';

modelTest('127.61.33', 150, 20_261_129, true);
