import type { Browser, LaunchOptions } from 'puppeteer-core';

export function openChromium(more?: LaunchOptions, flags?: readonly string[]): Promise<Browser>;
