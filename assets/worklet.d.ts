// What the audio thread has, which the browser's own types leave out (Web Audio API, W3C Recommendation, 2021).
declare class AudioWorkletProcessor {
  readonly port: MessagePort;
}
declare const currentFrame: number;
declare const sampleRate: number;
declare function registerProcessor(name: string, processor: new () => AudioWorkletProcessor): void;
