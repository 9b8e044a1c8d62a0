import { bootstrapApplication } from '@angular/platform-browser';
import { App } from './app/app';
import { appConfig } from './app/app.config';
import { drawFieldsPlainly } from './app/ui/plain-fields';

drawFieldsPlainly();
void bootstrapApplication(App, appConfig);
