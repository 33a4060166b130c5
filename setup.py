"""Builds the compiled kernels; where there is no compiler, the package installs without them.

A wheel with kernels is tagged for its platform; one without is pure and says so by its tag.
"""

from pathlib import Path

from setuptools import Extension, setup
from setuptools.command.bdist_wheel import bdist_wheel
from setuptools.command.build_ext import build_ext

NATIVE = Path("src/olive_crate/kernels/native")
UNIX = ["-std=c++17", "-O2", "-fvisibility=hidden", "-fno-rtti", "-g0"]
FLAGS = {"msvc": ["/std:c++17", "/O2", "/EHsc"]}


class BuildKernels(build_ext):
    """Gives each compiler its own flags."""

    def build_extensions(self) -> None:
        for extension in self.extensions:
            extension.extra_compile_args = FLAGS.get(self.compiler.compiler_type, UNIX)
        super().build_extensions()


class TaggedWheel(bdist_wheel):
    """Tags a wheel by what is in it: without kernels it is pure."""

    def run(self) -> None:
        self.run_command("build_ext")
        built = self.get_finalized_command("build_ext")
        names = [built.get_ext_fullpath(each.name) for each in self.distribution.ext_modules]
        if not all(Path(name).exists() for name in names):
            self.distribution.ext_modules = []
            self.root_is_pure, self.py_limited_api = True, ""
        super().run()


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
    cmdclass={"build_ext": BuildKernels, "bdist_wheel": TaggedWheel},
    options={"bdist_wheel": {"py_limited_api": "cp311"}},
)
