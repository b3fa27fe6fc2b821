export { MetadataPublisher, type Entry } from '../../packages/standins/src/metadata/publisher.js';
