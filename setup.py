"""Builds the compiled kernels; where there is no compiler, the package installs without them."""

from pathlib import Path

from setuptools import Extension, setup
from setuptools.command.build_ext import build_ext

NATIVE = Path("src/olive_crate/kernels/native")
UNIX = ["-std=c++17", "-O2", "-fvisibility=hidden", "-fno-exceptions", "-fno-rtti", "-g0"]
FLAGS = {"msvc": ["/std:c++17", "/O2"]}


class BuildKernels(build_ext):
    """Gives each compiler its own flags."""

    def build_extensions(self) -> None:
        for extension in self.extensions:
            extension.extra_compile_args = FLAGS.get(self.compiler.compiler_type, UNIX)
        super().build_extensions()


setup(
    ext_modules=[
        Extension(
            "olive_crate.kernels.compiled._native",
            sources=sorted(path.as_posix() for path in NATIVE.glob("*.cpp")),
            depends=sorted(path.as_posix() for path in NATIVE.glob("*.[hi][pn][pl]")),
            py_limited_api=True,
            optional=True,
        )
    ],
    cmdclass={"build_ext": BuildKernels},
    options={"bdist_wheel": {"py_limited_api": "cp311"}},
)
