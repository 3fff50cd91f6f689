/**
 * How a picture is seen by eyes with one kind of cone less, and in grey, as filters over the views.
 * Matrices for linear RGB: Machado, Oliveira and Fernandes 2009, severity 1; grey: luminance of Rec. 709.
 */
const MATRICES: Record<string, readonly number[]> = {
  grey: [0.2126, 0.7152, 0.0722, 0.2126, 0.7152, 0.0722, 0.2126, 0.7152, 0.0722],
  protan: [0.152286, 1.052583, -0.204868, 0.114503, 0.786281, 0.099216, -0.003882, -0.048116, 1.051998],
  deutan: [0.367322, 0.860646, -0.227968, 0.280085, 0.672501, 0.047413, -0.01182, 0.04294, 0.968881],
  tritan: [1.255528, -0.076749, -0.178779, -0.078411, 0.930809, 0.147602, 0.004733, 0.691367, 0.3039],
};

export function EyeFilters() {
  return (
    <svg className="eye-filters" aria-hidden="true">
      {Object.entries(MATRICES).map(([id, m]) => (
        <filter key={id} id={`seen-${id}`} colorInterpolationFilters="linearRGB">
          <feColorMatrix type="matrix" values={[...m.slice(0, 3), 0, 0, ...m.slice(3, 6), 0, 0, ...m.slice(6, 9), 0, 0, 0, 0, 0, 1, 0].join(" ")} />
        </filter>
      ))}
    </svg>
  );
}
