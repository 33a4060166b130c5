// C++ functions as functions of a Python module, by their own parameters and results.
//
// The type of a parameter says what Python gives for it: `Int` and `int` a whole number, `bool` the
// truth of anything, `In<T>` a buffer that is read, `Out<T>` one that is written, `std::string` a
// text, `Listed` a list. A result becomes what it is: numbers, truths, bytes, tuples of these, None
// for nothing. `exported<kernel>` is the function that Python calls; there is nothing to declare
// besides. Buffers are released when the call ends, whatever happens within it.
//
// What a kernel refuses it throws as `Refused`, which is a `ValueError`; too little memory is a
// `MemoryError`. Where it does not touch Python's objects, it lets other threads run: `unlocked`.
#pragma once

#define Py_LIMITED_API 0x030B0000
#define PY_SSIZE_T_CLEAN
#include <Python.h>

#include <climits>
#include <cstdint>
#include <exception>
#include <optional>
#include <string>
#include <tuple>
#include <type_traits>
#include <utility>
#include <vector>

namespace olive {

using Int = std::int64_t;

struct Refused {
    const char* why;
};
struct Failed {};  // Python knows the error already

inline void require(bool fits, const char* why) {
    if (!fits) throw Refused{why};
}

// A buffer that Python lends for the length of a call.
template <class T>
class Lent {
  public:
    Lent() = default;
    Lent(const Lent&) = delete;
    Lent& operator=(const Lent&) = delete;
    ~Lent() {
        if (view.obj) PyBuffer_Release(&view);
    }
    void take(PyObject* given) {
        const int how = std::is_const_v<T> ? PyBUF_SIMPLE : PyBUF_WRITABLE;
        if (PyObject_GetBuffer(given, &view, how) < 0) {
            view.obj = nullptr;
            throw Failed{};
        }
    }
    T* data() const { return static_cast<T*>(view.buf); }
    Int count() const { return view.len / static_cast<Py_ssize_t>(sizeof(T)); }
    Int bytes() const { return view.len; }
    bool empty() const { return !view.len; }
    T* or_none() const { return view.len ? data() : nullptr; }  // where an empty one stands for none
    bool readonly() const { return view.readonly; }

  private:
    Py_buffer view{};
};

template <class T>
using In = Lent<const T>;
template <class T>
using Out = Lent<T>;

// A list, whose items are only looked at while the interpreter is held.
struct Listed {
    PyObject* list = nullptr;
    Int count() const { return PyList_Size(list); }
    PyObject* at(Int index) const {
        PyObject* item = PyList_GetItem(list, static_cast<Py_ssize_t>(index));
        if (!item) throw Failed{};
        return item;
    }
};

// Values that Python gives.

inline void take(PyObject* given, Int& into) {
    into = PyLong_AsLongLong(given);
    if (into == -1 && PyErr_Occurred()) throw Failed{};
}

inline void take(PyObject* given, int& into) {
    Int wide;
    take(given, wide);
    if (wide < INT_MIN || wide > INT_MAX) throw Refused{"a number is too large"};
    into = static_cast<int>(wide);
}

inline void take(PyObject* given, bool& into) {
    const int truth = PyObject_IsTrue(given);
    if (truth < 0) throw Failed{};
    into = truth != 0;
}

inline void take(PyObject* given, std::string& into) {
    Py_ssize_t size;
    const char* text = PyUnicode_AsUTF8AndSize(given, &size);
    if (!text) throw Failed{};
    into.assign(text, static_cast<std::size_t>(size));
}

inline void take(PyObject* given, Listed& into) {
    require(PyList_Check(given), "a list is needed");
    into.list = given;
}

template <class T>
void take(PyObject* given, Lent<T>& into) {
    into.take(given);
}

// Values that go back to Python. Each gives a new reference, or throws.

struct Bytes {
    const void* data;
    std::size_t size;
};

inline PyObject* owned(PyObject* made) {
    if (!made) throw Failed{};
    return made;
}

inline PyObject* given(bool value) { return owned(PyBool_FromLong(value)); }
inline PyObject* given(double value) { return owned(PyFloat_FromDouble(value)); }
inline PyObject* given(const std::string& text) {
    return owned(PyUnicode_FromStringAndSize(text.data(), static_cast<Py_ssize_t>(text.size())));
}
inline PyObject* given(const Bytes& bytes) {
    return owned(PyBytes_FromStringAndSize(static_cast<const char*>(bytes.data),
                                           static_cast<Py_ssize_t>(bytes.size)));
}
inline PyObject* given(PyObject* made) { return owned(made); }  // one that was made for this
template <class T, std::enable_if_t<std::is_integral_v<T> && !std::is_same_v<T, bool>, int> = 0>
PyObject* given(T value) {
    return owned(PyLong_FromLongLong(static_cast<long long>(value)));
}
template <class T>
PyObject* given(const std::vector<T>& values) {
    return given(Bytes{values.data(), values.size() * sizeof(T)});
}
template <class... Each>
PyObject* given(const std::tuple<Each...>& values);
template <class T>
PyObject* given(const std::optional<T>& value) {
    if (value) return given(*value);
    Py_INCREF(Py_None);
    return Py_None;
}
template <class... Each>
PyObject* given(const std::tuple<Each...>& values) {
    PyObject* tuple = owned(PyTuple_New(sizeof...(Each)));
    Py_ssize_t at = 0;
    try {
        std::apply([&](const auto&... each) { (PyTuple_SetItem(tuple, at++, given(each)), ...); },
                   values);
    } catch (...) {
        Py_DECREF(tuple);
        throw;
    }
    return tuple;
}

// While it lives, other threads may run Python.
class Unlocked {
  public:
    Unlocked() : state(PyEval_SaveThread()) {}
    ~Unlocked() { PyEval_RestoreThread(state); }

  private:
    PyThreadState* state;
};

template <class Work>
auto unlocked(Work work) {
    Unlocked meanwhile;
    return work();
}

// The values of a tuple from Python, by their types.
template <class... Each>
void take_tuple(PyObject* tuple, std::tuple<Each...>& into) {
    if (PyTuple_Size(tuple) != static_cast<Py_ssize_t>(sizeof...(Each))) {
        if (!PyErr_Occurred()) throw Refused{"a tuple has another number of parts"};
        throw Failed{};
    }
    Py_ssize_t at = 0;
    std::apply([&](auto&... each) { (take(PyTuple_GetItem(tuple, at++), each), ...); }, into);
}

template <auto kernel>
struct Exported;

template <class Result, class... Parts, Result (*kernel)(Parts...)>
struct Exported<kernel> {
    static PyObject* call(PyObject*, PyObject* const* args, Py_ssize_t count) noexcept {
        try {
            require(count == static_cast<Py_ssize_t>(sizeof...(Parts)),
                    "a kernel was given another number of arguments than it takes");
            std::tuple<std::decay_t<Parts>...> parts;
            std::apply([&](auto&... each) { (take(*args++, each), ...); }, parts);
            if constexpr (std::is_void_v<Result>) {
                std::apply(kernel, parts);
                Py_RETURN_NONE;
            } else {
                return given(std::apply(kernel, parts));
            }
        } catch (const Refused& refused) {
            PyErr_SetString(PyExc_ValueError, refused.why);
        } catch (const Failed&) {
        } catch (const std::exception&) {  // bad_alloc, or a vector that is asked for too much
            PyErr_NoMemory();
        }
        return nullptr;
    }
};

template <auto kernel>
PyMethodDef exported(const char* name) {
    using Called = PyObject* (*)(PyObject*, PyObject* const*, Py_ssize_t);
    const Called called = &Exported<kernel>::call;
    return {name, reinterpret_cast<PyCFunction>(reinterpret_cast<void (*)()>(called)), METH_FASTCALL,
            nullptr};
}

}  // namespace olive
