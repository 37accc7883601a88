const widest = 960;
const patience = 15_000;

/**
 * A still of a film, drawn by the browser: a picture of its first second.
 * @returns null where the browser cannot show the film
 */
export async function stillOf(film: File): Promise<File | null> {
  const address = URL.createObjectURL(film);
  const video = document.createElement('video');
  try {
    video.muted = true;
    video.preload = 'auto';
    video.src = address;
    const seen = new Promise<boolean>((done) => {
      const over = setTimeout(() => done(false), patience);
      video.onerror = () => done(false);
      video.onloadedmetadata = () => {
        video.currentTime = Math.min(1, (video.duration || 0) / 2);
      };
      video.onseeked = () => {
        clearTimeout(over);
        done(true);
      };
    });
    if (!(await seen) || video.videoWidth === 0) return null;
    const canvas = document.createElement('canvas');
    const scale = Math.min(1, widest / video.videoWidth);
    canvas.width = Math.round(video.videoWidth * scale);
    canvas.height = Math.round(video.videoHeight * scale);
    canvas.getContext('2d')?.drawImage(video, 0, 0, canvas.width, canvas.height);
    const blob = await new Promise<Blob | null>((done) => canvas.toBlob(done, 'image/jpeg', 0.85));
    return blob && new File([blob], 'still.jpg', { type: 'image/jpeg' });
  } finally {
    video.removeAttribute('src');
    URL.revokeObjectURL(address);
  }
}
