import type { Browser, LaunchOptions } from 'puppeteer-core';

export function openChromium(more?: LaunchOptions): Promise<Browser>;
