// Promises that nobody waits for, and in core the engine's own elementary functions (their last bit differs between engines), clocks and randomness.
import tseslint from 'typescript-eslint'

const inexact = [
  'exp',
  'expm1',
  'log',
  'log2',
  'log10',
  'log1p',
  'pow',
  'sin',
  'cos',
  'tan',
  'asin',
  'acos',
  'atan',
  'atan2',
  'sinh',
  'cosh',
  'tanh',
  'cbrt',
  'hypot',
  'random',
]

export default tseslint.config(
  {
    ignores: [
      '**/node_modules/**',
      '**/dist/**',
      '**/.next/**',
      'kernels/assembly/**',
      'kernels/src/*.generated.ts',
      '**/*.mjs',
      '**/next-env.d.ts',
      'core/ambient.d.ts',
      '.data/**',
      '.test/**',
      'vitest.config.ts',
    ],
  },
  {
    files: ['**/*.ts', '**/*.tsx'],
    plugins: { '@typescript-eslint': tseslint.plugin },
    languageOptions: {
      parser: tseslint.parser,
      parserOptions: {
        project: ['tsconfig.check.json'],
        tsconfigRootDir: import.meta.dirname,
      },
    },
    rules: {
      '@typescript-eslint/no-floating-promises': 'error',
      '@typescript-eslint/no-misused-promises': ['error', { checksVoidReturn: { attributes: false } }],
    },
  },
  {
    files: ['core/src/**/*.ts'],
    ignores: ['**/*.test.ts'],
    rules: {
      'no-restricted-properties': [
        'error',
        ...inexact.map((property) => ({
          object: 'Math',
          property,
          message: 'Take it from core/math: engines differ in the last bit.',
        })),
      ],
      'no-restricted-globals': [
        'error',
        ...['Date', 'performance', 'setTimeout', 'window', 'document', 'process', 'crypto'].map((name) => ({
          name,
          message: 'Core has no clock, no engine and no randomness of its own: hand it in.',
        })),
      ],
      // a ** b is Math.pow; whole constant powers are exact enough in every engine only up to the cube, so others go through core/math.
      'no-restricted-syntax': [
        'error',
        { selector: 'BinaryExpression[operator="**"] > Literal.right[value>10]', message: 'Use pow of core/math.' },
        {
          selector: 'BinaryExpression[operator="**"][right.type!="Literal"][left.value!=2]',
          message: 'Use pow of core/math: engines differ in the last bit.',
        },
      ],
    },
  },
)
