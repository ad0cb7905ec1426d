import { bootstrapApplication } from '@angular/platform-browser';
import * as z from 'zod';
import { App } from './app/app';
import { appConfig } from './app/app.config';

z.config({ jitless: true }); // the page's policy forbids eval

bootstrapApplication(App, appConfig).catch((error: unknown) => console.error(error));
