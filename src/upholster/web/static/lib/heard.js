/** A sound that is heard beside pictures, over and over; it gives them its clock. */

export class Heard {
  /** A promise of a sound file's samples. */
  load(packed) {
    this.context ??= new AudioContext({ sampleRate: 48000 });
    return this.context.decodeAudioData(packed);
  }

  /** What is heard from now on: a sound that was loaded, or null. */
  set buffer(buffer) {
    this.forwards = buffer;
    this.backwards = null;
  }

  get buffer() {
    return this.forwards;
  }

  /**
   * Begin some seconds after the beginning (or, backwards, before the end); what tells the seconds since, or null
   * where there is nothing to hear.
   * @param {number} way  1 forwards, -1 backwards
   */
  play(seconds, way = 1) {
    this.stop();
    if (!this.forwards) return null;
    this.context.resume();
    const source = Object.assign(this.context.createBufferSource(), { buffer: way > 0 ? this.forwards : this.#turned(), loop: true });
    this.analyser = Object.assign(this.context.createAnalyser(), { fftSize: 2048 });
    source.connect(this.analyser).connect(this.context.destination);
    source.start(0, seconds);
    this.source = source;
    const began = this.context.currentTime;
    return () => this.context.currentTime - began - (this.context.outputLatency || 0);
  }

  stop() {
    this.source?.stop();
    this.source = null;
  }

  /** How loud it is just now, 0..1; null where nothing plays. */
  get level() {
    if (!this.source) return null;
    const heard = new Float32Array(this.analyser.fftSize);
    this.analyser.getFloatTimeDomainData(heard);
    return heard.reduce((most, sample) => Math.max(most, Math.abs(sample)), 0);
  }

  #turned() {
    if (this.backwards) return this.backwards;
    const { numberOfChannels, length, sampleRate } = this.forwards;
    this.backwards = new AudioBuffer({ numberOfChannels, length, sampleRate });
    for (let k = 0; k < numberOfChannels; k++) this.backwards.copyToChannel(this.forwards.getChannelData(k).slice().reverse(), k);
    return this.backwards;
  }
}
