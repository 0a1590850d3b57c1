// An application that is set up by its environment alone, as the page Collect says.
import { metrics } from '@opentelemetry/api';
import { NodeSDK } from '@opentelemetry/sdk-node';

const sdk = new NodeSDK();
sdk.start();
metrics.getMeter('tickets').createCounter('snippet.js.scans').add(4, { gate: 'north-1' });
await sdk.shutdown();
